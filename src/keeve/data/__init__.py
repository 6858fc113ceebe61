"""The acts of people in Keeve: sign in, plan a job, run a load, read the log."""
