"""The invented studio, relative to today."""
