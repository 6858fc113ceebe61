"""The web application: server-rendered pages; every figure comes from the services."""
