"""Running definitions: compiled interpreters, limits, outcomes, display, worker processes."""
