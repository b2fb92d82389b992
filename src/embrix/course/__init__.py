"""A course folder as a whole: languages, interpreters, suites, programs."""
