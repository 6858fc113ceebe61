"""The day and what follows it: zones, loads against time, curing until it may be used."""
