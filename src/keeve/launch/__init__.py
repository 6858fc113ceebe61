"""Starting what Keeve needs: PostgreSQL, the server, the checks."""
