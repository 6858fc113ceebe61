"""Drawings: pure functions from figures to geometry. Templates turn the geometry into SVG."""
