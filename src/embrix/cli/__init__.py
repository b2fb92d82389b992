"""The command line: a thin face on the core."""
