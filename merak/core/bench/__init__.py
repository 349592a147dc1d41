"""The bench: each calculation on its own, with typed inputs, its working and, where a curve says more, a curve."""
