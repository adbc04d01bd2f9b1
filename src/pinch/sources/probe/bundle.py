"""The probe as one text, which a Python anywhere can be given to read."""

from collections.abc import Sequence
from pathlib import Path

HERE = Path(__file__).parent
PACKAGE = "pinch.sources.probe"
MODULES = (
    *("kernel_files", "kernel_numbers", "firmware_table", "limits_in_force", "throttling", "discovery", "inventory"),
    *("reading_only", "sampling"),
)
"""Each needs only those before it."""


def program(options: Sequence[str] | None = None) -> str:
    """The probe in one text; with options, else with those of its own command line."""
    texts = {f"{PACKAGE}.{name}": (HERE / f"{name}.py").read_text(encoding="utf-8") for name in MODULES}
    parents = ["pinch", "pinch.sources", PACKAGE]
    given = f"sys.argv[1:] = {list(options)!r}\n" if options is not None else ""
    return (
        f"import sys, types\n{given}"
        f"for name in {parents!r}:\n"
        "    sys.modules[name] = types.ModuleType(name)\n"
        "    sys.modules[name].__path__ = []\n"
        f"for name, text in {texts!r}.items():\n"
        "    module = sys.modules[name] = types.ModuleType(name)\n"
        "    exec(compile(text, name, 'exec'), module.__dict__)\n"
        f"sys.exit(sys.modules['{PACKAGE}.sampling'].main())\n"
    )
