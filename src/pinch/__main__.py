"""`python -m pinch` is the same as the `pinch` command."""

from pinch.cli.main import main

raise SystemExit(main())
