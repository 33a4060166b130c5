"""Clean datasets of many kinds, and faults planted in them; `benchmarks/findings.py` uses both."""
