"""What can be asked about a course."""
