"""Suites and definitions held against what they say."""
