"""Pictures, handouts and starters."""
