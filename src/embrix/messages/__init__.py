"""What can be asked about a course and what is answered, as types. Nothing of the core is imported
here, so that the side that only asks starts quickly."""
