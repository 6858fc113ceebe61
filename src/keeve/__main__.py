"""``python -m keeve``."""

import sys

from keeve.cli import main

sys.exit(main(sys.argv[1:]))
