#!/usr/bin/env python3
"""Sets the layouts of the firmware's tables against the kernel's header, as a C compiler lays it out:
.venv/bin/python bench/offsets.py HEADER, kgd_pp_interface.h of the sources of Linux 6.12"""

import re
import subprocess
import sys
import tempfile
from pathlib import Path

from pinch.sources.probe.firmware_table import FIELDS, RESIDENCY_AT, SIZES, STATUS_AT

NAMES = {
    "gpu.load": ("average_gfx_activity",),
    "gpu.power": ("average_gfx_power", "average_socket_power"),
    "soc.power": ("average_socket_power",),
    "gpu.clock": ("current_gfxclk", "average_gfxclk_frequency"),
    "gpu.temp": ("temperature_gfx", "temperature_edge"),
    "gpu.temp.junction": ("temperature_hotspot",),
    "gpu.temp.mem": ("temperature_mem",),
    "gpu.clock.memory": ("average_uclk_frequency",),
    "cpu.power.cores": ("average_all_core_power", "average_cpu_power"),
    "soc.power.uncore": ("average_soc_power",),
    "memory.clock": ("average_uclk_frequency",),
    "memory.clock.fabric": ("average_fclk_frequency",),
    "soc.temp": ("temperature_soc",),
    "soc.power.npu": ("average_ipu_power",),
    "gpu.power.discrete": ("average_dgpu_power",),
    "platform.power": ("average_sys_power",),
    "soc.power.limit": ("current_stapm_power_limit",),
    "memory.bandwidth.read": ("average_dram_reads",),
    "memory.bandwidth.write": ("average_dram_writes",),
    "skin.firmware.temp": ("temperature_skin",),
}
"""What a channel is called in the header, the first of them that a table has."""


def layouts(header: Path) -> dict[tuple[int, int], dict[str, tuple[int, int]]]:
    """Offset and size of each field of the tables that we read, by revision; the whole under ''."""
    text = header.read_text(encoding="utf-8")
    defines = "".join(re.findall(r"^#define (?:NUM|MAX)_.*\n", text, re.M))
    prints, structs = "", re.findall(r"struct metrics_table_header \{.*?\};", text, re.S)
    for format_, content in SIZES:
        found = re.search(rf"struct gpu_metrics_v{format_}_{content} \{{(.*?)\}};", text, re.S)
        assert found is not None, f"the header has no table {format_}.{content}"
        structs.append(found[0])
        of = f"struct gpu_metrics_v{format_}_{content}"
        prints += f'printf("{format_} {content} - 0 %zu\\n", sizeof({of}));\n'
        for name in re.findall(r"^\s*u?int\d+_t\s+(\w+)(?:\[\w+\])?;", found[1], re.M):
            at = f"offsetof({of}, {name}), sizeof((({of} *)0)->{name})"
            prints += f'printf("{format_} {content} {name} %zu %zu\\n", {at});\n'
    includes = "#include <stddef.h>\n#include <stdint.h>\n#include <stdio.h>\n"
    with tempfile.TemporaryDirectory() as folder:
        source = Path(folder) / "layout.c"
        source.write_text(f"{includes}{defines}{chr(10).join(structs)}\nint main(void) {{\n{prints}return 0; }}\n")
        subprocess.run(["cc", "-o", f"{folder}/layout", str(source)], check=True)
        said = subprocess.run([f"{folder}/layout"], check=True, capture_output=True, text=True).stdout
    made: dict[tuple[int, int], dict[str, tuple[int, int]]] = {}
    for a, b, name, at, size in (line.split() for line in said.splitlines()):
        made.setdefault((int(a), int(b)), {})[name] = (int(at), int(size))
    return made


def main() -> int:
    wrong = checked = 0
    for revision, fields in layouts(Path(sys.argv[1])).items():
        wrong += fields["-"][1] != SIZES[revision]
        for channel, at, kind, _ in FIELDS[revision]:
            core = re.fullmatch(r"cpu\.core\.(\d+)\.(power|temp)", channel)
            if core:
                start, width = fields["average_core_power" if core[2] == "power" else "temperature_core"][0], 2
                start += 2 * int(core[1])
            else:
                start, width = next(fields[name] for name in NAMES[channel] if name in fields)
            checked += 1
            if (start, width) != (at, {"H": 2, "I": 4}[kind]):
                wrong += 1
                print(f"{revision} {channel}: {at}, the header has {start} of {width} bytes")
        if revision in STATUS_AT:
            wrong += fields["indep_throttle_status"] != (STATUS_AT[revision], 8)
        if revision == (3, 0):
            names = {at: name for name, (at, _) in fields.items() if name.startswith("throttle_residency")}
            print({cause: [names.get(at, "?") for at in ats] for cause, ats in RESIDENCY_AT.items()})
    print(f"{checked} fields, {wrong} wrong")
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())
