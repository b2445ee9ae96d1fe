"""Answers to what the stages ask: one store of results, and a table of questions for each stage."""
