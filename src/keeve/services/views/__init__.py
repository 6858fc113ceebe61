"""View models: what each screen shows, worked out by the core; a view asks for one and renders it."""
