"""A zoo of logger files: what instruments and spreadsheets write, and what must be understood of it."""

from __future__ import annotations

import contextlib
import csv
import io
from datetime import date, datetime

import numpy as np
import pandas
import pytest
from hypothesis import given
from hypothesis import strategies as st

from bruvet.formats.logger import Choices, UnreadableFile, collect, understand
from bruvet.formats.logger.check import check
from bruvet.formats.logger.values import number, unit_word

LISBON = "Europe/Lisbon"


def see(text: str | bytes, **choices):
    content = text if isinstance(text, bytes) else text.encode()
    return check(content, Choices(**choices))


def temperatures(answer) -> list[dict]:
    return [column for column in answer["columns"] if column["role"] == "temperature"]


WIDE = "Time,Meat (°C),Pit (°C)\n2026-05-02 05:30:00,4.4,107.2\n2026-05-02 05:31:00,4.5,107.9\n2026-05-02 05:32:00,4.6,108.1\n"


@pytest.mark.parametrize(
    ("content", "encoding"),
    [
        (WIDE.encode(), "utf-8"),
        (WIDE.encode("utf-8-sig"), "utf-8"),
        (WIDE.encode("utf-16"), "utf-16"),
        (WIDE.encode("utf-16-le"), "utf-16"),
        (WIDE.encode("utf-16-be"), "utf-16"),
        (WIDE.encode("latin-1"), "latin-1"),
        (WIDE.replace("\n", "\r\n").encode(), "utf-8"),
        (WIDE.replace("\n", "\r").encode(), "utf-8"),
        (WIDE.replace(",", ";").encode(), "utf-8"),
        (WIDE.replace(",", "\t").encode(), "utf-8"),
        (WIDE.replace(",", ";").replace(".", ",").encode(), "utf-8"),
        (WIDE.replace(",", "\t").replace(".", ",").encode(), "utf-8"),
        (("sep=;\n" + WIDE.replace(",", ";")).encode(), "utf-8"),
        (("Logger 7\nSerial: 12-44\nInterval;60\n\n" + WIDE).encode(), "utf-8"),
    ],
)
def test_every_spelling_of_one_log_says_the_same(content: bytes, encoding: str) -> None:
    answer = see(content, tz=LISBON)
    assert answer["encoding"] == encoding
    assert answer["layout"] == "wide"
    assert answer["time"] == {"kind": "clock", "ask": None}
    assert answer["rows"] == 3
    assert answer["bad"] == []
    meat, pit = temperatures(answer)
    assert meat == {
        "name": "Meat (°C)", "role": "temperature", "unit": "c", "ask": None, "readings": 3,
        "first": ["2026-05-02T05:30:00+01:00", 4.4], "last": ["2026-05-02T05:32:00+01:00", 4.6],
    }  # fmt: skip
    assert pit["last"][1] == 108.1


@pytest.mark.parametrize(
    "stamp",
    ["2026-05-13 17:30", "2026-05-13T17:30:00", "2026-05-13T17:30:00.000", "13/05/2026 17:30", "13.05.2026 17:30:00", "5/13/2026 5:30 PM",
     "05/13/26 05:30:00 p.m.", "13-05-2026 17:30", "2026/05/13 17:30", "13 May 2026 17:30", "May 13, 2026 5:30 PM", "20260513T173000",
     "2026-05-13T17:30:00+01:00", "2026-05-13T16:30:00Z", "Wed 13 May 2026 17:30"],
)  # fmt: skip
def test_clock_stamps_of_many_kinds_are_one_moment(stamp: str) -> None:
    answer = see(
        f'When,Temp °C\n"{stamp}",4\n"{stamp.replace("30", "31", 1) if "30" in stamp else stamp}",5\n', tz=LISBON
    )
    assert answer["time"] == {"kind": "clock", "ask": None}
    assert temperatures(answer)[0]["first"] == ["2026-05-13T17:30:00+01:00", 4.0]


@pytest.mark.parametrize(
    ("heading", "values", "minutes"),
    [
        ("elapsed_min", ("0", "1.5", "3"), (0, 3)),
        ("Elapsed (s)", ("0", "90", "180"), (0, 3)),
        ("Elapsed", ("0:00", "0:02", "26:30"), (0, 1590)),
        ("Duration", ("0:00:00", "0:01:30", "0:03:00"), (0, 3)),
        ("Hours", ("0", "0.5", "1.25"), (0, 75)),
    ],
)
def test_elapsed_times_become_minutes(heading, values, minutes) -> None:
    rows = "".join(f"{v};{4 + i},0\n" for i, v in enumerate(values))
    answer = see(f"{heading};Meat °C\n{rows}")
    assert answer["time"] == {"kind": "elapsed", "ask": None}
    assert (temperatures(answer)[0]["first"][0], temperatures(answer)[0]["last"][0]) == minutes


@pytest.mark.parametrize(("scale", "unit"), [(1, "s"), (1000, "ms")])
def test_epochs_in_seconds_and_milliseconds(scale: int, unit: str) -> None:
    begin = int(datetime.fromisoformat("2026-05-02T05:30:00+01:00").timestamp())
    answer = see(f"epoch_{unit},meat_c\n{begin * scale},4\n{(begin + 60) * scale},5\n", tz=LISBON)
    assert answer["time"]["kind"] == "epoch"
    assert temperatures(answer)[0]["last"] == ["2026-05-02T05:31:00+01:00", 5.0]


def test_time_of_day_runs_past_midnight_and_asks_for_its_date() -> None:
    text = "Time,Meat °F\n11:58 PM,40\n11:59 PM,41\n12:00 AM,42\n12:01 AM,43\n"
    assert temperatures(see(text, log_date=date(2026, 5, 2)))[0]["last"][0] == "2026-05-03T00:01:00+00:00"
    assert "date" in see(text)["time"]["ask"]


def test_rows_out_of_order_across_midnight_stay_on_their_day() -> None:
    text = "Time,Meat °C\n23:58,4\n00:00,6\n23:59,5\n00:01,7\n"
    answer = see(text, log_date=date(2026, 5, 2))
    assert temperatures(answer)[0]["first"] == ["2026-05-02T23:58:00+00:00", 4.0]
    assert temperatures(answer)[0]["last"] == ["2026-05-03T00:01:00+00:00", 7.0]


def test_a_newest_first_log_past_midnight_is_turned_round() -> None:
    answer = see("Time,Meat °C\n00:01,7\n00:00,6\n23:59,5\n23:58,4\n", log_date=date(2026, 5, 2))
    assert temperatures(answer)[0]["first"] == ["2026-05-02T23:58:00+00:00", 4.0]
    assert temperatures(answer)[0]["last"] == ["2026-05-03T00:01:00+00:00", 7.0]


class TestClocksChange:
    """Lisbon: forward at 01:00 on 29 March 2026, back at 02:00 on 25 October 2026."""

    def minutes(self, stamps: list[str]) -> list[float]:
        text = "time,meat_c\n" + "".join(f"{s},{i}\n" for i, s in enumerate(stamps))
        log = understand(text.encode(), Choices(tz=LISBON))
        at = collect(log, Choices(tz=LISBON)).series[0].at
        return ((at - at[0]) / 60).tolist()

    def test_the_repeated_hour_is_an_hour_longer(self) -> None:
        stamps = [
            "2026-10-25 00:30",
            "2026-10-25 01:00",
            "2026-10-25 01:30",
            "2026-10-25 01:00",
            "2026-10-25 01:30",
            "2026-10-25 02:00",
        ]
        assert self.minutes(stamps) == [0, 30, 60, 90, 120, 150]

    def test_the_missing_hour_is_missing(self) -> None:
        assert self.minutes(["2026-03-29 00:30", "2026-03-29 02:00", "2026-03-29 02:30"]) == [0, 30, 60]

    def test_a_logger_that_did_not_follow_the_change_runs_straight_through(self) -> None:
        spring = [f"2026-03-29 {m // 60:02d}:{m % 60:02d}" for m in range(0, 240, 10)]
        assert self.minutes(spring) == list(range(0, 240, 10))
        autumn = [f"2026-10-25 {m // 60:02d}:{m % 60:02d}" for m in range(0, 240, 10)]
        assert self.minutes(autumn) == list(range(0, 240, 10))


@pytest.mark.parametrize(
    ("days", "order"),
    [
        (("03/04/2026 23:59", "04/04/2026 00:01"), "2026-04-03"),
        (("03/04/2026 23:59", "03/05/2026 00:01"), "2026-03-04"),
        (("13/04/2026 05:30", "13/04/2026 05:31"), "2026-04-13"),
        (("04/13/2026 05:30", "04/13/2026 05:31"), "2026-04-13"),
        (("03.04.2026 05:30", "03.04.2026 05:31"), "2026-04-03"),
    ],
)
def test_day_or_month_first_is_settled_where_the_file_settles_it(days, order) -> None:
    answer = see(f"Date,Meat °C\n{days[0]},4\n{days[1]},5\n")
    assert answer["time"]["ask"] is None
    assert temperatures(answer)[0]["first"][0].startswith(order)


def test_an_open_day_or_month_is_asked_and_a_date_settles_it() -> None:
    text = "Date,Meat °C\n03/04/2026 05:30,4\n03/04/2026 05:31,5\n"
    assert "day" in see(text)["time"]["ask"]
    settled = see(text, log_date=date(2026, 3, 4))
    assert settled["time"]["ask"] is None
    assert temperatures(settled)[0]["first"][0].startswith("2026-03-04")


def test_long_files_give_a_column_a_probe() -> None:
    rows = "".join(
        f"2026-05-02T05:{m:02d}:00Z,{p},{v + m},F\n" for m in range(4) for p, v in (("pit", 225), ("meat", 40))
    )
    answer = see("timestamp,probe,value,unit\n" + rows)
    assert answer["layout"] == "long"
    assert [(c["name"], c["readings"], c["unit"]) for c in temperatures(answer)] == [("pit", 4, "f"), ("meat", 4, "f")]
    assert temperatures(answer)[1]["first"] == ["2026-05-02T05:00:00+00:00", 4.444]


def test_a_long_file_may_list_one_probe_after_the_other_through_midnight() -> None:
    rows = "".join(f"{t};{p};{v}\n" for p, v in (("1", 4), ("2", 107)) for t in ("23:58", "23:59", "00:00", "00:01"))
    answer = see("Time;Channel;Temp °C\n" + rows, log_date=date(2026, 5, 2))
    assert [c["last"][0] for c in temperatures(answer)] == ["2026-05-03T00:01:00+00:00"] * 2


class TestUnits:
    def test_by_heading_by_suffix_by_preamble_and_by_a_row_of_units(self) -> None:
        for text in (
            "Time,Meat (F)\n05:30,40\n05:31,50\n",
            "Time,meat_f\n05:30,40\n05:31,50\n",
            "Time,Meat [°F]\n05:30,40\n05:31,50\n",
            "Time,Meat\n05:30,40°F\n05:31,50 °F\n",
            "Units: Fahrenheit\nTime,Meat\n05:30,40\n05:31,50\n",
            "Time,Meat\nhh:mm,°F\n05:30,40\n05:31,50\n",
        ):
            (column,) = temperatures(see(text, log_date=date(2026, 5, 2)))
            assert (column["unit"], column["ask"], column["first"][1]) == ("f", None, 4.444), text

    def test_guessed_units_are_asked(self) -> None:
        hot, cold = temperatures(see("minutes,Pit,Meat\n0,225,38\n1,226,39\n"))
        assert hot["unit"] == cold["unit"] == "f"
        assert "°F or °C" in hot["ask"]
        (column,) = temperatures(see("minutes,Meat\n0,4.1\n1,4.2\n"))
        assert column["unit"] == "c"
        assert column["ask"]

    def test_probes_numbered_by_letters_are_not_units(self) -> None:
        assert all(c["ask"] for c in temperatures(see("minutes,Probe A,Probe B,Probe C\n0,40,41,225\n1,41,42,226\n")))

    def test_mixed_units_each_by_its_heading(self) -> None:
        first, second = temperatures(see("minutes,Meat °C,Pit °F\n0,4,212\n1,4,212\n"))
        assert (first["first"][1], second["first"][1]) == (4.0, 100.0)

    def test_the_unit_is_read_from_many_spellings(self) -> None:
        assert [unit_word(w) for w in ("°C", "(F)", "Temp, C", "deg F", "degrees C", "Celsius", "Grad C", "Probe 1", "Coffee")] == [
            "c", "f", "c", "f", "c", "c", "c", None, None,
        ]  # fmt: skip


@pytest.mark.parametrize(
    "cell", ["", " ", "---", "-", "N/A", "n/a", "NaN", "null", "999", "999.0", "999,9", "-999", "-1", "ERR", "no probe"]
)
def test_no_probe_is_no_reading_and_no_bad_line(cell: str) -> None:
    answer = see(f"elapsed_min;meat_c;pit_c\n0;4;107\n1;{cell};107\n2;5;108\n")
    assert temperatures(answer)[0]["readings"] == 2
    assert answer["bad"] == []
    assert answer["rows"] == 3


def test_minus_one_is_a_reading_among_other_frost() -> None:
    (column,) = temperatures(see("elapsed_min,meat_c\n0,-2.5\n1,-1\n2,0.5\n"))
    assert column["readings"] == 3


def test_bad_lines_are_listed_by_number_and_the_rest_is_kept() -> None:
    text = (
        "Pit log\n\nTime,Meat (°C),Pit (°C)\n2026-05-02 05:30,4.4,107\n2026-05-02 05:31,warm,107\n2026-05-02 05:32\n"
        "2026-02-30 05:33,4.6,107\n\n2026-05-02 05:34,4.7,9999999\nTime,Meat (°C),Pit (°C)\n2026-05-02 05:35,4.8,107\nEnd of log\n"
    )
    answer = see(text)
    assert [(b["line"], b["why"].split(":")[0]) for b in answer["bad"]] == [
        (5, "Meat (°C)"),
        (6, "has 1 fields where the heading has 3"),
        (7, "the time '2026-02-30' is not a date on the calendar"),
        (9, "Pit (°C)"),
        (10, "the heading again"),
        (12, "has 1 fields where the heading has 3"),
    ]
    assert [c["readings"] for c in temperatures(answer)] == [3, 3]


def test_repeated_and_unordered_rows() -> None:
    text = "elapsed_min,meat_c\n3,7\n1,5\n2,6\n1,5\n0,4\n2,9\n"
    answer = see(text)
    assert answer["duplicates"] == 1
    assert answer["bad"] == [{"line": 7, "why": "same time as line 4 with another value; the first is kept"}]
    assert temperatures(answer)[0]["first"] == [0.0, 4.0]
    assert temperatures(answer)[0]["last"] == [3.0, 7.0]


def test_roles_that_a_person_gave_are_kept_and_the_rest_guessed_around_them() -> None:
    text = b"Stamp,Clock,Fan,Meat C\n2026-05-02 05:30,06:30,40,4\n2026-05-02 05:31,06:31,41,5\n"
    choices = Choices(log_date=date(2026, 5, 2), roles={"Stamp": "ignored", "Clock": "time", "Fan": "temperature"})
    log = understand(text, choices)
    assert [c.role for c in log.columns] == ["ignored", "time", "temperature", "temperature"]
    assert log.reader.kind == "time-of-day"
    with pytest.raises(UnreadableFile, match="No column of times"):
        understand(text, Choices(roles={"Stamp": "ignored", "Clock": "ignored"}))


def test_a_probe_that_was_never_plugged_in_is_a_temperature_without_readings() -> None:
    answer = see("time,P1 C,P2 C,T °F\n2026-05-02 05:30,4,---,225\n2026-05-02 05:31,5,---,226\n")
    assert [(c["name"], c["readings"], c["first"] is None) for c in temperatures(answer)] == [
        ("P1 C", 2, False), ("P2 C", 0, True), ("T °F", 2, False),
    ]  # fmt: skip


def test_a_spreadsheets_dates_as_numbers() -> None:
    """Day 46144 of a spreadsheet is 2 May 2026; checked with the data-frame library's own conversion."""
    serials = [46144.229167, 46144.229861]
    expected = pandas.to_datetime(serials, unit="D", origin="1899-12-30").round("s").strftime("%Y-%m-%dT%H:%M:%S+00:00")
    answer = see("Time,Meat °C\n" + "".join(f"{s},{4 + i}\n" for i, s in enumerate(serials)))
    assert answer["time"] == {"kind": "clock", "ask": None}
    (meat,) = temperatures(answer)
    assert [meat["first"][0], meat["last"][0]] == list(expected)


def test_columns_that_are_no_temperature_are_left_out() -> None:
    answer = see(
        "#;Time;Set;Meat;Pit;Battery %;Event\n1;05:30;110;4;100;99;meat on\n2;05:31;110;5;101;99;\n",
        log_date=date(2026, 5, 2),
    )
    assert [c["role"] for c in answer["columns"]] == [
        "ignored",
        "time",
        "ignored",
        "temperature",
        "temperature",
        "ignored",
        "event",
    ]


@pytest.mark.parametrize(
    "content", [b"", b"   \n", b"hello\nworld\n", b"PK\x03\x04 something", b"Name,Colour\na,b\nc,d\n"]
)
def test_what_is_no_log_is_refused_with_a_reason(content: bytes) -> None:
    with pytest.raises(UnreadableFile):
        check(content, Choices())


@given(
    st.lists(st.tuples(st.integers(0, 5000), st.floats(-20, 120)), min_size=3, max_size=40, unique_by=lambda p: p[0]),
    st.sampled_from([",", ";", "\t"]),
    st.booleans(),
)
def test_what_the_standard_csv_writer_writes_is_read_back(points, delimiter: str, comma: bool) -> None:
    """RFC 4180 quoting by the standard library, and the same numbers as a data-frame library reads."""
    points = sorted(points)
    sink = io.StringIO()
    writer = csv.writer(sink, delimiter=delimiter)
    writer.writerow(["elapsed_min", 'meat "left", °C'])
    for minute, value in points:
        text = f"{value:.2f}"
        writer.writerow([minute, text.replace(".", ",") if comma else text])
    content = sink.getvalue().encode()
    log = understand(content)
    series = collect(log).series[0]
    frame = pandas.read_csv(io.BytesIO(content), sep=delimiter, decimal="," if comma else ".")
    values = frame.iloc[:, 1].to_numpy(dtype=float)
    known = ~np.isin(values, [-1.0]) | (values[values != -1.0] < 0).any()
    np.testing.assert_allclose(series.temp_c, values[known], atol=1e-9)
    np.testing.assert_allclose(series.at / 60, frame.iloc[:, 0].to_numpy(dtype=float)[known])


@given(st.binary(max_size=400))
def test_no_bytes_whatever_break_the_reader(content: bytes) -> None:
    with contextlib.suppress(UnreadableFile):
        check(content, Choices())


@given(st.text(max_size=12))
def test_no_cell_breaks_the_number_reader(cell: str) -> None:
    with contextlib.suppress(ValueError):
        value, unit = number(cell)
        assert unit in (None, "c", "f")
        assert isinstance(value, float)
