"""What is left of an interpreter when its program is known: residual programs."""
