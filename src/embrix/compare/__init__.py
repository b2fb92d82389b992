"""Lanes beside each other: one program under several, where they part, how costs grow."""
