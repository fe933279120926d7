"""The package file: what is written reads back the same; what is wrong is named and changes
nothing.
"""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from yellowfen.core.part.library import MOISTURE, OwnPackage
from yellowfen.core.part.package import JointKind, Land
from yellowfen.errors import UnreadableFile
from yellowfen.formats.package_file import read_packages, write_packages

MM = st.floats(0.1, 100, allow_nan=False)
WORD = st.text(min_size=1, max_size=20).filter(lambda text: bool(text.strip()))
LAND = st.builds(
    Land,
    pin=WORD,
    x_mm=st.floats(-50, 50),
    y_mm=st.floats(-50, 50),
    size_x_mm=st.floats(0.05, 50),
    size_y_mm=st.floats(0.05, 50),
    kind=st.sampled_from(list(JointKind)),
)
PACKAGE = st.builds(
    OwnPackage,
    name=WORD,
    body_x_mm=MM,
    body_y_mm=MM,
    height_mm=st.floats(0.05, 60),
    joint=st.sampled_from(list(JointKind)),
    material=st.sampled_from(["moulded", "ceramic", "plastic"]),
    heat_shy=st.booleans(),
    iron_only=st.booleans(),
    limit_c=st.one_of(st.none(), st.floats(40, 450)),
    moisture=st.sampled_from(MOISTURE),
    polarity=st.text(max_size=30),
    aliases=st.lists(WORD, max_size=3).map(tuple),
    lands=st.lists(LAND, max_size=4).map(tuple),
)


@given(st.lists(PACKAGE, max_size=4, unique_by=lambda one: one.name))
def test_what_is_written_reads_back_the_same(packages: list[OwnPackage]) -> None:
    text = write_packages(packages)
    assert read_packages(text.encode(), "p.toml") == packages if packages else "format = 1" in text


SOUND = '[[package]]\nname = "Relay"\nbody_x_mm = 10\nbody_y_mm = 12.5\nheight_mm = 8\n'


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("", "empty"),
        ("format = 1\n", "no list called package"),
        ("[[package]\n", "not sound TOML"),
        ('{"package": [', "line 1, column 14: is not sound JSON"),
        (SOUND + "colour = 3\n", r"package 1 \(Relay\): the field 'colour' is not known"),
        (SOUND.replace("12.5", "-2"), r"package 1 \(Relay\): body_y_mm: -2 mm is outside"),
        (SOUND.replace("12.5", '"wide"'), r"package 1 \(Relay\): body_y_mm"),
        (SOUND + 'material = "cheese"\n', "'cheese' is not one of moulded"),
        (SOUND + SOUND, "Relay stands twice"),
        ("format = 7\n" + SOUND, "format 7"),
        (SOUND.replace('name = "Relay"\n', ""), "without name"),
    ],
)
def test_what_is_wrong_is_named(text: str, said: str) -> None:
    with pytest.raises(UnreadableFile, match=said):
        read_packages(text.encode(), "p.toml")


def test_json_is_read_too() -> None:
    (one,) = read_packages(
        b'{"package": [{"name": "Relay", "body_x_mm": 10, "body_y_mm": 12, "height_mm": 8, "iron_only": true}]}',
        "p.json",
    )
    assert one.package().iron_only
    assert one.package().heat_shy
