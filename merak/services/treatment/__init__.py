"""A treatment as it runs: the order, its taps, instruments, emergencies."""

from merak.services.treatment import instruments  # it hears of every tap, whoever imports what of this room

__all__ = ["instruments"]
