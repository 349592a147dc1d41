"""The same things as JSON under /api."""
