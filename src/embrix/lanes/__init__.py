"""The lanes of a course, and what they do with a text."""
