"""What is kept: typed models, sessions bound to one crew, migrations."""
