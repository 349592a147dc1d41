"""Merak: plans, runs and records energy and mechanical skin care treatments."""
