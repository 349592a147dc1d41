"""Benchmarks, each a ratio against something named."""
