"""Starting what Keeve stands on: PostgreSQL, the server, the checks."""
