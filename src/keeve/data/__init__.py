"""What people do with Keeve: sign in, plan a job, run a load, read the log."""
