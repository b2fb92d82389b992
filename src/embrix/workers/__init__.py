"""Processes that answer requests about a course."""
