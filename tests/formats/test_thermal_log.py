"""Thermocouple tables in the dialects that loggers write."""

import pytest

from yellowfen.errors import UnreadableFile
from yellowfen.formats.thermal_log import read_log

ROWS = [(i * 0.5, 23.0 + 2 * i) for i in range(10)]


def table(mark: str, decimal: str, header: str, scale: float = 1.0) -> bytes:
    lines = [
        mark.join(f"{value:.3f}".replace(".", decimal) for value in (at * scale, read))
        for at, read in ROWS
    ]
    return ("\n".join(([header] if header else []) + lines) + "\n").encode()


@pytest.mark.parametrize(
    "data",
    [
        table(",", ".", "time,probe"),
        table(";", ",", "Zeit;probe"),
        table("\t", ".", "t\tprobe"),
        table(",", ".", "Time (ms),probe", 1000.0),
        table(";", ".", "min;probe", 1 / 60),
        b"\xef\xbb\xbf" + table(",", ".", "s,probe"),
        b"# a logger\n\n" + table(",", ".", "time,probe"),
        table(" ", ".", ""),
        table(",", ".", "time,probe").decode().encode("utf-16"),
    ],
)
def test_any_sane_table_gives_the_same_log(data: bytes) -> None:
    times, columns = read_log("log.csv", data)
    assert times == pytest.approx([at for at, _ in ROWS], abs=0.05)
    assert next(iter(columns.values())) == pytest.approx([read for _, read in ROWS])


def test_fahrenheit_and_kelvin_are_turned_where_the_title_says_so() -> None:
    rows = "\n".join(f"{i},{212 + i},{373.15 + i}" for i in range(8))
    _, columns = read_log("l.csv", f"s,board °F,plate [K]\n{rows}".encode())
    assert columns["board °F"][0] == pytest.approx(100.0)
    assert columns["plate [K]"][0] == pytest.approx(100.0)


@pytest.mark.parametrize(
    ("data", "said"),
    [
        (b"", "log is empty"),
        (b"time,probe\n1,2\n", "fewer than 8 rows"),
        (table(",", ".", "t,p") + b"9,oops\n", "not a number"),
        (table(",", ".", "t,p") + b"1,2,3\n", "3 cells"),
        (table(",", ".", "t,p") + b"0.1,20\n", "must rise"),
        (b"\n".join(b"%d" % i for i in range(9)), "two columns"),
        (bytes(range(128, 256)) * 20, "fewer than 8 rows"),
    ],
)
def test_tables_that_cannot_be_read_say_where(data: bytes, said: str) -> None:
    with pytest.raises(UnreadableFile, match=said):
        read_log("log.csv", data)
