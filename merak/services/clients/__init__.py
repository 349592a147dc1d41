"""A client: how they are reached, letters, files, progress."""
