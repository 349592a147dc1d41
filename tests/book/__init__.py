"""The rule book as the whole application reads it: no database."""
