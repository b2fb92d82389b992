"""Object-language terms: sorts, forms and binding; nodes; free names, renaming, substitution."""
