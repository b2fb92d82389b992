"""In which formats a report on suites can be written."""

FORMATS = ("junit", "tap", "json", "html")
