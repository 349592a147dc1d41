"""Formulas that a physicist would recognise; one subject a file."""
