"""In and out: calendar files, PDF."""
