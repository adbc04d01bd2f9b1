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


OPTIONS = "sys.argv[1:] = "


def installed_program() -> str:
    """The probe as a file that belongs to root: it takes the options that it is told like any other Python, and runs
    itself; nothing else that it is told is run."""
    return (
        "#!/usr/bin/python3 -I\n"
        "import ast, sys\n"
        f"told = next((line for line in sys.stdin if line.startswith({OPTIONS!r})), '{OPTIONS}[]')\n"
        f"sys.argv[1:] = [str(word) for word in ast.literal_eval(told.removeprefix({OPTIONS!r}).strip())]\n"
        f"{program()}"
    )


def program(options: Sequence[str] | None = None) -> str:
    """The probe in one text; with options, else with those of its own command line."""
    texts = {f"{PACKAGE}.{name}": (HERE / f"{name}.py").read_text(encoding="utf-8") for name in MODULES}
    parents = ["pinch", "pinch.sources", PACKAGE]
    given = f"{OPTIONS}{list(options)!r}\n" if options is not None else ""
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
