"""One router a screen. A view reads top to bottom: parse, ask a service, render."""
