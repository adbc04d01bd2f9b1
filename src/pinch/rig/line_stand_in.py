"""A stand-in for a program that prints what no file of the kernel tells, such as that of a graphics card:
python -m pinch.rig.line_stand_in [--form csv|keys|json] [--every S] [--lines N] [--mishap none|garbage|flood|hang]."""

import argparse
import json
import math
import sys
import time

WATTS, SPAN_W, PERIOD_S = 110.0, 15.0, 40.0


def line_of(form: str, t_s: float) -> str:
    """What it says after so many seconds."""
    watts = WATTS + SPAN_W * math.sin(2.0 * math.pi * t_s / PERIOD_S)
    told = {"graphics power [W]": round(watts, 1), "graphics temp [°C]": round(30.0 + 0.4 * watts, 1), "bus": 16}
    if form == "json":
        return json.dumps({"card": {"graphics_power_w": told["graphics power [W]"], "bus": 16}}, ensure_ascii=False)
    if form == "keys":
        return f"graphics power={watts:.1f} W, graphics temp={30.0 + 0.4 * watts:.1f} °C, bus=16"
    return ",".join(str(value) for value in told.values())


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--form", choices=("csv", "keys", "json"), default="csv")
    parser.add_argument("--every", type=float, default=1.0)
    parser.add_argument("--lines", type=int, default=10**9)
    parser.add_argument("--mishap", choices=("none", "garbage", "flood", "hang"), default="none")
    args = parser.parse_args()
    if args.form == "csv":
        _say("graphics power [W],graphics temp [°C],bus")
    begun = time.monotonic()
    for number in range(args.lines):
        _say(line_of(args.form, time.monotonic() - begun))
        if args.mishap == "garbage" and number % 3 == 2:
            _say("§§ no numbers here §§")
        if args.mishap == "hang" and number == args.lines // 2:
            time.sleep(3600.0)
        if args.mishap != "flood":
            time.sleep(args.every)


def _say(text: str) -> None:
    sys.stdout.write(f"{text}\n")
    sys.stdout.flush()


if __name__ == "__main__":
    main()
