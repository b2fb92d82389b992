"""`python -m embrix` is the command `embrix`."""

from embrix.cli.main import main

if __name__ == "__main__":
    raise SystemExit(main())
