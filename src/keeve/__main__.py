"""``python -m keeve``."""

import sys

from keeve.cli import main

if __name__ == "__main__":  # a process that is spawned reads this too
    sys.exit(main(sys.argv[1:]))
