"""Lessons: what is shown to a class, in which order, with what is asked."""
