"""Requirements, verdicts and findings in words."""
