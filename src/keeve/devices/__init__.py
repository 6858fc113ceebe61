"""Devices and services beside Keeve, each behind a small interface; what ships are simulated stand-ins."""
