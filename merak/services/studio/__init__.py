"""The studio: its people and machines, the rule book, the bench, signing in."""
