"""Other people's logs: every dialect that is promised, what is asked, and what is refused."""

import os
from contextlib import AbstractContextManager, ExitStack
from datetime import datetime
from pathlib import Path
from unittest.mock import patch

import numpy as np
import pandas as pd
from hypothesis import given, settings
from hypothesis import strategies as st
from vega_datasets import data

from pinch.bench.files import write_model
from pinch.core.errors import DataError
from pinch.core.runlog import gaps_of
from pinch.sources.logs import decode, row_pieces
from pinch.sources.logs.mapping import ColumnMapping, ColumnUse, fingerprint, read_mapping
from pinch.sources.logs.read import ReadLog, read_any_log
from pinch.sources.logs.units import find_unit, split_unit
from tests.in_folder import InFolder


class LogCase(InFolder):
    def read(self, text: str | bytes, encoding: str = "utf-8", mapping: ColumnMapping | None = None) -> ReadLog:
        path = self.folder / "log.csv"
        path.write_bytes(text if isinstance(text, bytes) else text.encode(encoding))
        return read_any_log(path, mapping)

    def values(self, found: ReadLog, channel: str) -> list[float]:
        return [round(v, 4) for v in found.log.series[channel].values.tolist()]

    def times(self, found: ReadLog, channel: str) -> list[float]:
        return [round(v, 4) for v in found.log.series[channel].t.tolist()]


def in_pieces_of(size: int) -> AbstractContextManager[object]:
    """Reads so few bytes together, parses so few rows, and knows little of a file's beginning and of its end."""
    parts = ExitStack()
    parts.enter_context(patch.object(decode, "START", 700))
    parts.enter_context(patch.object(row_pieces, "TAIL_LINES", 5))
    parts.enter_context(patch.object(decode, "PIECE", size))
    parts.enter_context(patch.object(row_pieces, "ROWS_TOGETHER", size))
    return parts


class TestDialects(LogCase):
    def test_pinchs_own(self) -> None:
        found = self.read("t_s,cpu.power,cpu.temp\n1,40,50\n2,41,\n3,42,52\n")
        self.assertEqual(self.times(found, "cpu.temp"), [1.0, 3.0])
        self.assertEqual(found.questions, ())

    def test_semicolons_commas_dots_umlauts_and_two_columns_of_time(self) -> None:
        found = self.read(
            "Datum;Uhrzeit;CPU-Leistung [W];CPU Takt [MHz];Kern 1 Temp [°C];Lüfter [U/min]\n"
            "01.09.2026;23:59:59;40,5;3.200,0;71,5;1.200\n02.09.2026;00:00:00;41,5;3.150,5;-;1.250\n",
            "cp1252",
        )
        self.assertEqual(self.values(found, "cpu.clock"), [3200.0, 3150.5])
        self.assertEqual(self.values(found, "cpu.core.1.temp"), [71.5])
        self.assertEqual(self.values(found, "fan.1.speed"), [1200.0, 1250.0])
        self.assertEqual(self.times(found, "cpu.power"), [0.0, 1.0])
        self.assertEqual(found.started, datetime(2026, 9, 1, 23, 59, 59))

    def test_a_published_table_is_read_without_a_map(self) -> None:
        # hourly air temperatures of a year, 1981–2010 normals of NOAA, as vega_datasets has them; pandas reads them too
        path = Path(data.sf_temps.filepath)
        found, whole = read_any_log(path), pd.read_csv(path)
        at = pd.to_datetime(whole["date"])
        self.assertEqual((found.started, len(whole)), (at[0].to_pydatetime(), 8759))
        self.assertEqual(found.questions, ("temp: is it cpu.temp? (its name, without a unit)",))
        series = found.log.series["cpu.temp"]
        np.testing.assert_array_equal(series.values, whole["temp"].to_numpy())
        np.testing.assert_array_equal(series.t, (at - at[0]).dt.total_seconds().to_numpy())

    def test_numbers_alone_are_frames_only_where_frames_take_so_long(self) -> None:
        self.assertEqual(self.read("16.7\n17.1\n16.5\n").questions, ())
        (asked,) = self.read("0.0002\n0.0003\n0.0002\n").questions
        self.assertIn("frame_ms: is it frame.time?", asked)

    def test_utf16_tabs_milliwatts_and_fahrenheit(self) -> None:
        found = self.read(
            "Time\tPackage Power (mW)\tGPU Temp (F)\n12:59:59\t40000\t122\n13:00:00\t41000\t32\n", "utf-16"
        )
        self.assertEqual(self.values(found, "cpu.power"), [40.0, 41.0])
        self.assertEqual(self.values(found, "gpu.temp"), [50.0, 0.0])

    def test_midnight_suffixes_and_gigahertz(self) -> None:
        found = self.read("time,cpu power W,cpu clock GHz\n23:59:59.5,10,3.2\n00:00:00.5,11,3.3\n")
        self.assertEqual(self.times(found, "cpu.power"), [0.0, 1.0])
        self.assertEqual(self.values(found, "cpu.clock"), [3200.0, 3300.0])

    def test_a_row_of_units_and_columns_of_cores(self) -> None:
        found = self.read("Time,CPU Package,Core 0,Core 1\ns,W,MHz,MHz\n0,40,3000,3100\n1,41,3000,3100\n")
        self.assertEqual(set(found.log.series), {"cpu.power", "cpu.clock", "cpu.core.0.clock", "cpu.core.1.clock"})

    def test_a_header_further_down_a_restart_and_a_summary(self) -> None:
        head = "Elapsed [ms],Power [W],Throttling [Yes/No]\n"
        rows = "0,40,No\n1000,41,Yes\n2000,42,Yes\n"
        found = self.read(f"Logger 3\nBench: north\n\n{head}{rows}{head}{rows}\nAverage,41\nMax,42\n")
        self.assertEqual(self.values(found, "cpu.power"), [40, 41, 42] * 2)
        self.assertEqual(self.values(found, "cpu.throttle.heat"), [0, 1, 1] * 2)
        self.assertEqual(found.notes, ("Logger 3", "Bench: north", "Average,41", "Max,42"))
        self.assertEqual(len(gaps_of(found.log.series["cpu.power"])), 1, "a gap, not a jump")
        self.assertIn("began anew at line 9", found.warnings[0])

    def test_energy_becomes_power_and_a_reset_a_hole(self) -> None:
        found = self.read("Time (s),Package energy (kJ)\n0,0.1\n1,0.14\n2,0.185\n3,0.01\n4,0.05\n")
        self.assertEqual(self.values(found, "cpu.power"), [40.0, 45.0, 40.0])
        self.assertEqual(self.times(found, "cpu.power"), [1.0, 2.0, 4.0])

    def test_frames_in_every_form(self) -> None:
        self.assertEqual(self.values(self.read("frame_ms\n16.7\n16.6\n33.3\n"), "frame.time"), [16.7, 16.6, 33.3])
        bare = self.read("16,7\n16,6\n33,3\n")
        self.assertEqual(self.times(bare, "frame.time"), [0.0167, 0.0333, 0.0666])
        rates = self.read("Time;FPS\n0;60,5\n1;61,2\n")
        self.assertEqual(self.values(rates, "frame.rate"), [60.5, 61.2])
        self.assertIn("single long frames cannot be seen", rates.warnings[0])

    def test_times_of_every_kind(self) -> None:
        for rows, expected in (
            (("0", "0.5"), 0.5), (("0", "500"), 0.5), (("1788256800", "1788256801"), 1.0),
            (("1788256800000", "1788256800250"), 0.25), (("10:00", "10:01"), 60.0), (("1:02:03", "1:02:05"), 2.0),
            (("11:59:59 AM", "12:00:01 PM"), 2.0), (("2026-09-01T10:00:00.000Z", "2026-09-01T10:00:00.500Z"), 0.5),
            (("2026-09-01 10:00:00+02:00", "2026-09-01 10:00:01+02:00"), 1.0),
            (("30/08/2026 10:00:00", "31/08/2026 10:00:00"), 86400.0),
            (("8/30/26 10:00:00", "8/30/26 10:00:03"), 3.0),
        ):  # fmt: skip
            with self.subTest(rows=rows):
                found = self.read(f"Timestamp,CPU Power [W]\n{rows[0]},40\n{rows[1]},41\n")
                t = self.times(found, "cpu.power")
                self.assertAlmostEqual(t[1] - t[0], expected)
                self.assertEqual(found.questions, ())

    def test_two_columns_that_tell_the_time_must_agree(self) -> None:
        rows = [f"14:00:{i // 2:02d},{1000 + 500 * i},{40 + i}" for i in range(8)]
        found = self.read("Clock time,Time [ms],CPU Power [W]\n" + "\n".join(rows) + "\n")
        self.assertEqual(self.times(found, "cpu.power"), [1.0 + 0.5 * i for i in range(8)], "the finer one counts")
        self.assertEqual((found.day_s, found.started), (14 * 3600.0, None), "the other one tells when it was")
        dated = self.read("When,Time [s],CPU Power [W]\n2026-09-01T10:00:00,0,40\n2026-09-01T10:00:01,1,41\n")
        self.assertEqual((dated.started, dated.day_s), (datetime(2026, 9, 1, 10), 36000.0))
        near = self.read("Clock time,Time [s],CPU Power [W]\n14:00:00,0,40\n14:10:00,604,41\n")
        self.assertEqual(len(near.log.series), 1, "two clocks may differ by 1 %")
        with self.assertRaisesRegex(DataError, r"Clock time and Time \[s\] disagree: 600 s and 612 s in all"):
            self.read("Clock time,Time [s],CPU Power [W]\n14:00:00,0,40\n14:10:00,612,41\n")

    def test_what_cannot_be_known_is_asked(self) -> None:
        over = self.read("Time,Power [W]\n03/04/2026 23:59:59,40\n04/04/2026 00:00:00,41\n")
        self.assertEqual((over.questions, over.started), ((), datetime(2026, 4, 3, 23, 59, 59)), "midnight tells")
        text = "Time,Power [W]\n03/04/2026 23:59:58,40\n03/04/2026 23:59:59,41\n"
        found = self.read(text)
        self.assertIn("is the day or the month first?", found.questions[0])
        answered = self.read(text, mapping=found.mapping.model_copy(update={"day_first": True}))
        self.assertEqual((answered.questions, answered.started), ((), datetime(2026, 4, 3, 23, 59, 58)))
        hot = self.read("Time [s],Temp [°C],Thing\n0,4600,7\n1,4610,8\n")
        self.assertIn("it shows 4,600 to 4,610", hot.questions[0])
        self.assertIn("is it cpu.clock?", hot.questions[0], "a temperature of 4600 is a clock")
        self.assertEqual(self.values(hot, "extra.thing"), [7.0, 8.0], "nothing unknown is dropped")
        slow = self.read("Time [s],CPU clock\n0,3.2\n1,3.3\n")
        self.assertEqual(self.values(slow, "cpu.clock"), [3200.0, 3300.0])
        self.assertIn("read as GHz", slow.questions[0])

    def test_missing_repeated_names_shares_and_a_cut_row(self) -> None:
        found = self.read("t [s];CPU load;Temp [°C];Temp [°C]\n0;0,5;N/A;60\n1;0,95;51;NaN\n1;0,9;52;61\n2;0,8;53;6")
        self.assertEqual(self.values(found, "cpu.load"), [50.0, 90.0])
        self.assertEqual(self.values(found, "cpu.temp.2"), [60.0, 61.0])
        self.assertTrue(any("cut in the middle" in w for w in found.warnings))
        self.assertTrue(any("repeat a time" in w for w in found.warnings))

    def test_rows_that_share_a_stamp_are_kept(self) -> None:
        fast = "".join(f"12:00:{n // 10:02},{n}\n" for n in range(7, 60))  # ten a second, begun in the middle of one
        found = self.read(f"Time,CPU Power [W]\n{fast}")
        self.assertEqual(self.values(found, "cpu.power"), [float(n) for n in range(7, 60)])
        np.testing.assert_allclose(self.times(found, "cpu.power"), np.arange(7, 60) / 10.0)
        self.assertIn("10 rows share a stamp of 1 s", found.warnings[0])
        apart = self.read("t_s,cpu.power,cpu.temp\n1,40,\n1,,50\n2,41,\n2,,51\n3,42,\n3,,52\n")
        self.assertEqual(self.times(apart, "cpu.power"), [1.0, 2.0, 3.0])
        self.assertEqual((self.values(apart, "cpu.temp"), apart.warnings), ([50.0, 51.0, 52.0], ()))

    def test_a_mapping_is_kept_as_json_and_used(self) -> None:
        text = "Clock time,A,B\n10:00:00,40,50\n10:00:01,41,51\n"
        columns = (
            ColumnUse(column="Clock time", channel="time"),
            ColumnUse(column="A", channel="wall.power", factor=0.001),
            ColumnUse(column="B", channel=""),
        )
        write_model(ColumnMapping(columns=columns), self.folder / "map.json")
        found = self.read(text, mapping=read_mapping(self.folder / "map.json"))
        self.assertEqual(set(found.log.series), {"wall.power"})
        self.assertEqual(self.values(found, "wall.power"), [0.04, 0.041])
        self.assertEqual(found.fingerprint, fingerprint(["clock TIME", "a", "b"], ["", "", ""]))
        with self.assertRaisesRegex(DataError, "a column 'Clock time' that is not there"):
            self.read("t_s,cpu.power\n0,1\n1,2\n", mapping=read_mapping(self.folder / "map.json"))
        (self.folder / "map.json").write_text('{"columns": []}')
        with self.assertRaisesRegex(DataError, r"map.json: columns"):
            read_mapping(self.folder / "map.json")

    def test_units(self) -> None:
        for name, plain, unit in (
            ("CPU Power [W]", "CPU Power", "W"), ("Temp (°C)", "Temp", "°C"), ("cpu_power_mW", "cpu_power", "mW"),
            ("Clock, GHz", "Clock", "GHz"), ("Level [dB(A)]", "Level", "dB(A)"), ("Plan B", "Plan B", ""),
        ):  # fmt: skip
            self.assertEqual(split_unit(name), (plain, unit))
        # °F by definition: (x − 32) · 5/9; K: x − 273.15
        for text, given_value, expected in (("°F", 212.0, 100.0), ("degF", -40.0, -40.0), ("K", 300.0, 26.85)):
            unit_found = find_unit(text)
            assert unit_found is not None
            self.assertAlmostEqual(given_value * unit_found.factor + unit_found.offset, expected)


class TestPieces(LogCase):
    def test_no_piece_ends_within_a_quoted_cell_or_begins_unseen(self) -> None:
        rows = [f'{i},"{40 + i}.5","on\nthe {i}th, again"\n' for i in range(30)]
        with in_pieces_of(50):
            found = self.read('Time [s],"CPU Power, all [W]",Note\n' + "".join(rows))
            self.assertEqual(self.values(found, "cpu.power"), [40.5 + i for i in range(30)])
            for n in range(1, 29):  # whichever row it is, it is not cut to the width of the header
                rows[n] = f'{n},"40","a",7\n'
                with self.assertRaisesRegex(DataError, f"line {2 * n + 2}: the row has 4 cells, the header 3"):
                    self.read('Time [s],"CPU Power, all [W]",Note\n' + "".join(rows))
                rows[n] = f'{n},"40","on\nand on"\n'

    def test_pieces_may_begin_with_nothing_or_a_cell_of_any_length(self) -> None:
        with in_pieces_of(30):
            found = self.read(
                'Time [s],CPU Power [W],N\n0,1,"a"\n1,2,"' + "b" * 200_000 + '"' + "\n" * 60 + '3,4,"c"\n'
            )
        self.assertEqual((self.times(found, "cpu.power"), found.warnings), ([0.0, 1.0, 3.0], ()))

    def test_a_word_in_one_piece_changes_no_number_of_another(self) -> None:
        rows = "".join(f"{i};1.234,5;{'error' if i == 35 else '3.100,2'}\n" for i in range(40))
        with in_pieces_of(100):
            found = self.read("Zeit [s];Lüfter [U/min];Takt [MHz]\n" + rows)
        self.assertEqual(set(self.values(found, "cpu.clock")), {3100.2})
        self.assertEqual(set(self.values(found, "fan.1.speed")), {1234.5})

    def test_another_encoding_shows_long_after_rows_were_read(self) -> None:
        rows = "".join(f"{i};{i + 0.5};still\n" for i in range(500))
        with in_pieces_of(200):
            found = self.read(
                "Zeit [s];Takt [MHz];Anmerkung\n" + rows + "500;500.5;Lüfter an\n\nMax;Größe 500.5\n", "cp1252"
            )
            with self.assertRaisesRegex(DataError, "line 503: it is not text"):
                self.read(f"Zeit [s];Takt [MHz];Anmerkung\n{rows}500;500.5;Lüfter an\n501;\0;\n", "cp1252")
        self.assertEqual(self.values(found, "cpu.clock"), [i + 0.5 for i in range(501)])
        self.assertEqual(found.notes, ("Max;Größe 500.5",))

    def test_what_is_written_to_it_meanwhile_is_not_read(self) -> None:
        path = self.folder / "log.csv"
        path.write_text("Time [s],Power [W]\n" + "".join(f"{i},40\n" for i in range(200_000)))

        def grow(share: float) -> bool:
            with path.open("a") as file:
                file.write("50,90,90\n")
            return True

        found = read_any_log(path, progress=grow)
        self.assertEqual(self.values(found, "cpu.power"), [40.0] * 200_000)

        def shrink(share: float) -> bool:
            path.write_text("Time [s],Power [W]\n1,40\n")
            return True

        with self.assertRaisesRegex(DataError, "log.csv: it changed while it was read"):
            read_any_log(path, progress=shrink)


class TestRefused(LogCase):
    def test_one_sentence_with_line_and_reason(self) -> None:
        wide = ",".join(f"c{n} [W]" for n in range(10_000))
        for text, reason in (
            (b"abc\0def\n1,2\n", "line 1: it is not text"),
            ("", "it is empty"),
            ("hello\nworld\n", "no header with numbers below it"),
            ("time s,power W,temp C\n0,1,2\n1,2\n2,3,4\n", "line 3: the row has 2 cells, the header 3"),
            ("time s,power W\n0,1\n1,2,9,9\n2,3\n", "line 3: the row has 4 cells, the header 2"),
            ("time s,power W\n0,1\n1,2\n0.5,3\n", "line 4: time goes back, from 1 s to 0.5 s"),
            ("Time [s],Clock time\n0,10:00:00\n1,10:05:00\n2,10:10:00\n", "disagree: 2 s and 600 s"),
            ("Time [s],Power [W]\n0,1\n,2\n2,3\n", "line 3: the row has no time"),
            ("Time,Power [W]\n10:00:00,1\n25 o'clock,2\n", 'line 3: "25 o\'clock" is not a time'),
            ("a,b\n3,x\n1,y\n2,z\n", "no column tells the time"),
            ("Time [s],Power [W]\n0,\n1,\n", "not one sample"),
            ("t_s,t_s,cpu.power,cpu.,40,50\n2,42,cpu.power,cpu.,40,50\n2,42,52\n", "no samples|cells, the header"),
            (f"{wide}\n" + ",".join("1" for _ in range(10_000)) + "\n", "10000 columns"),
            ("time s,power W\n0,1\n" + "9" * 5_000_000 + "\n", "line 3: the line is longer than 1 MB"),
        ):
            with self.subTest(reason=reason), self.assertRaisesRegex(DataError, reason):
                self.read(text)

    def test_quotes_that_make_no_sense_are_signs(self) -> None:
        found = self.read('t_s,cpu.p"w"er,cpu"x\n1,40,50\n2,41,\n3,42,52\n')
        self.assertEqual(len(found.log.series), 2)

    def test_what_is_no_file(self) -> None:
        os.mkfifo(self.folder / "pipe")
        for name, reason in (("pipe", "not a plain file"), ("", "not a plain file"), ("gone", "no such file")):
            with self.subTest(name=name), self.assertRaisesRegex(DataError, reason):
                read_any_log(self.folder / name)


NUMBERS = st.lists(
    st.tuples(*(st.floats(0.5, 99.0).map(lambda x: round(x, 3)) for _ in range(3))), min_size=3, max_size=30
)


class TestAnyDialect(LogCase):
    @settings(max_examples=150, deadline=None)
    @given(
        rows=NUMBERS,
        delimiter=st.sampled_from([",", ";", "\t"]),
        comma=st.booleans(),
        encoding=st.sampled_from(["utf-8", "utf-8-sig", "utf-16", "cp1252"]),
        ending=st.sampled_from(["\n", "\r\n", "\r"]),
        clock=st.sampled_from(["s", "ms", "clock", "iso"]),
        preamble=st.lists(st.sampled_from(["Logger 7", "unit under test; north", "", "# by hand"]), max_size=4),
        missing=st.sampled_from(["", "-", "N/A"]),
        holes=st.sets(st.integers(0, 29), max_size=5),
        together=st.sampled_from([16, 300, 1 << 21]),
    )
    def test_a_log_comes_back_as_it_was_written(
        self,
        rows: list[tuple[float, ...]],
        delimiter: str,
        comma: bool,
        encoding: str,
        ending: str,
        clock: str,
        preamble: list[str],
        missing: str,
        holes: set[int],
        together: int,
    ) -> None:
        comma = comma and delimiter != ","

        def number(value: float) -> str:
            return f"{value:.3f}".replace(".", ",") if comma else f"{value:.3f}"

        def time(second: int) -> str:
            stamp = f"{second // 3600 + 10:02}:{second // 60 % 60:02}:{second % 60:02}"
            forms = {"s": str(second), "ms": str(1000 * second), "clock": stamp, "iso": f"2026-09-01T{stamp}"}
            return forms[clock]

        names = {"s": "Time [s]", "ms": "Time [ms]"}.get(clock, "Time")
        lines = [*preamble, delimiter.join([names, "CPU Power [W]", "GPU Temp [°C]", "CPU Load [%]"])]
        for i, row in enumerate(rows):
            cells = [missing if column == 1 and i in holes and i else number(v) for column, v in enumerate(row)]
            lines.append(delimiter.join([time(i), *cells]))
        path = self.folder / "any.csv"
        path.write_bytes((ending.join(lines) + ending).encode(encoding))
        with in_pieces_of(together):
            found = read_any_log(path)
        kept = [i for i in range(len(rows)) if not (i in holes and i)]
        for channel, column, expected in (
            ("cpu.power", 0, list(range(len(rows)))), ("gpu.temp", 1, kept), ("cpu.load", 2, list(range(len(rows)))),
        ):  # fmt: skip
            series = found.log.series[channel]
            np.testing.assert_allclose(series.t, expected)
            np.testing.assert_allclose(series.values, [rows[i][column] for i in expected])
