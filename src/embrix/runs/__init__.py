"""A course at work: answering questions about it, in this process or in warm workers."""
