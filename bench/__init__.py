"""The speed promises, measured: ``make bench`` writes ``docs/performance.md``."""
