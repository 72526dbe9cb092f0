"""``python -m metier``."""

import sys

from metier.cli import main

sys.exit(main())
