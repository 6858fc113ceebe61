"""Keeve sizes, mixes, judges, corrects and logs batches of concrete, mortar, stucco, screed and plaster."""

__version__ = "0.1.0"
