"""Loads once they are mixed: their rows in the log, their specimens and tests, charts of many."""
