"""Recording runs, and looking at what was recorded. Knows the machine's values, no interface."""
