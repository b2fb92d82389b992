"""Suites: cases with expectations, held against every interpreter."""
