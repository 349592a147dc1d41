"""A treatment as it runs: the order, its taps, instruments, emergencies."""
