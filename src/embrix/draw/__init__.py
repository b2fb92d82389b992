"""Drawings and charts: what is laid out is a scene of texts, lines and boxes, which is written as
SVG, as PDF or as plain text."""
