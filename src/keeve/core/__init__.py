"""The rules of the job: pure, typed, SI inside, with no interface and no database."""
