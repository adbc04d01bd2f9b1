"""`python -I -S …/probe`: the probe started by its place, without anything of the environment."""

import os
import sys

sys.path.insert(0, os.path.abspath(os.path.join(os.path.dirname(__file__), "..", "..", "..")))

from pinch.sources.probe.sampling import main

sys.exit(main())
