"""The notation: read, resolved, type-checked. Knows `text`, `terms` and `grammar`."""
