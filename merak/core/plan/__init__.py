"""Screening, the side to start on, and the plan as a value that recomputes from its inputs."""
