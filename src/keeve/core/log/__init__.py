"""What is kept of loads once they are mixed: how the log lists them, their specimens and tests, charts of many."""
