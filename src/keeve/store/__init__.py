"""The store: typed models, sessions bound to one crew, migrations."""
