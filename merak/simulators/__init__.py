"""Small simulated instruments behind the ports that real ones would use: for training, for the demo, for tests.

Each is a value: what is asked of one gives the next value and an answer. Where it is kept is not its business.
"""
