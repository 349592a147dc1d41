"""Studios, visits, orders and pages ready made, named as the trade names them: for tests,
benchmarks and screenshots.
"""
