"""The command line: stable answers, exit code 2 and one sentence for bad input."""

import json
import shutil
from pathlib import Path

import pytest

from tests.conftest import DATA
from yellowfen.cli import _parser, main
from yellowfen.store import boards
from yellowfen.workflows import demo
from yellowfen.workflows.opening import DATABASE, open_database

EXAMPLE = Path(__file__).parents[1] / "docs" / "rehearsal-example.json"


def test_rehearse_answers_with_the_documented_fields(capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["rehearse", str(EXAMPLE), "--json"]) == 0
    answer = json.loads(capsys.readouterr().out)
    assert set(answer) >= {"joints", "parts", "events", "energy_balance", "warnings", "model"}
    assert set(answer["joints"][0]) == {
        "ref",
        "pin",
        "melt_start_s",
        "melt_end_s",
        "freeze_s",
        "melts",
        "peak_c",
        "ramp_k_s",
        "time_above_liquidus_s",
    }
    assert {"ref", "body_peak_c", "limit_c", "limit_passed_s"} <= set(answer["parts"][0])
    balance = answer["energy_balance"]
    assert abs(balance["residual_j"]) <= max(1e-3 * balance["put_in_j"], 0.01)
    assert balance["put_in_j"] - balance["lost_j"] - balance["stored_j"] == pytest.approx(
        balance["residual_j"], abs=0.01
    )
    assert {"cells", "step_s", "wall_s", "simulated_s"} <= set(answer["model"])
    times = [event["at_s"] for event in answer["events"]]
    assert times == sorted(times)


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"version": 2}, "version"),
        (
            {"source": {"kind": "hot_air", "nozzle_mm": 6, "outlet_c": 5000, "flow_lpm": 30}},
            "source.outlet_c",
        ),
        ({"targets": ["U9"]}, "targets"),
        ({"targets": []}, "targets"),
        ({"ambient_c": "warm"}, "ambient_c"),
        ({"surprise": 1}, "surprise"),
        ({"parts": [{"ref": "U1", "package": "BRICK", "x_mm": 30, "y_mm": 20}]}, "parts.0.package"),
        ({"parts": [{"ref": "U1", "package": "SOIC-8", "x_mm": 300, "y_mm": 20}]}, "parts.U1"),
        ({"parts": [{"ref": "U1", "package": "SOIC-8", "x_mm": 30, "y_mm": 20}] * 2}, "parts"),
        (
            {"parts": [{"ref": "U1", "package": "SOIC-8", "x_mm": 30, "y_mm": 20, "alloy": "Pb"}]},
            "alloy",
        ),
        (
            {
                "parts": [
                    {"ref": "U1", "package": "SOIC-8", "x_mm": 30, "y_mm": 20, "plane_pins": ["40"]}
                ]
            },
            "plane_pins",
        ),
        ({"moves": [{"do": "close", "over": "U1", "seconds": 5}]}, "height_mm"),
        ({"moves": [{"do": "hold", "height_mm": 9, "seconds": 5}]}, "moves.over"),
        ({"board": {"width_mm": -5, "height_mm": 40}}, "board.width_mm"),
        (
            {
                "board": {
                    "width_mm": 60,
                    "height_mm": 40,
                    "copper": [{"layer": "top", "coverage": 1.4}],
                }
            },
            "coverage",
        ),
        (
            {
                "board": {
                    "width_mm": 60,
                    "height_mm": 40,
                    "copper": [{"layer": "top", "coverage": [[0.1], [0.1, 0.2]]}],
                }
            },
            "coverage",
        ),
    ],
)
def test_invalid_files_name_the_field(
    change: dict[str, object], field: str, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    path = tmp_path / "bad.json"
    path.write_text(json.dumps(json.loads(EXAMPLE.read_text()) | change))
    assert main(["rehearse", str(path), "--json"]) == 2
    said = capsys.readouterr()
    assert said.out == ""
    assert field in said.err
    assert said.err.count("\n") == 1


@pytest.mark.parametrize("text", ["", "{", "[1,2]", '{"a": NaN}', "[" * 100_000, "\x00\xff"])
def test_no_json_is_said_plainly(
    text: str, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    path = tmp_path / "bad.json"
    path.write_text(text)
    assert main(["rehearse", str(path)]) == 2
    assert capsys.readouterr().err.startswith("yellowfen: ")


def test_explicit_pads_and_maps(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    given = json.loads(EXAMPLE.read_text())
    given["board"]["copper"][0]["coverage"] = [[0.2, 0.8], [0.5, 0.1]]
    given["board"]["vias"] = [{"x_mm": 31, "y_mm": 21}]
    pads = [
        {"pin": str(i), "x_mm": x, "y_mm": 0, "size_x_mm": 1, "size_y_mm": 1.2, "kind": "chip"}
        for i, x in ((1, -1), (2, 1))
    ]
    given["parts"].append({"ref": "Y1", "package": "unknown", "x_mm": 40, "y_mm": 20, "pads": pads})
    path = tmp_path / "pads.json"
    path.write_text(json.dumps(given))
    assert main(["rehearse", str(path), "--json"]) == 0
    answer = json.loads(capsys.readouterr().out)
    assert [joint["pin"] for joint in answer["joints"] if joint["ref"] == "Y1"] == ["1", "2"]
    assert any("guessed" in said for said in answer["warnings"])


def test_import_says_what_was_found(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    files = [str(path) for path in sorted((DATA / "boards/two-sided").glob("board.*"))]
    assert main(["import", *files, "--json", "--keep", "--data", str(tmp_path)]) == 0
    answer = json.loads(capsys.readouterr().out)
    assert answer["paste_openings"] == {"top": 89, "bottom": 121}
    assert answer["board_id"] == 1
    assert main(["import", str(tmp_path / "missing.zip")]) == 2
    assert "cannot be opened" in capsys.readouterr().err


def test_import_counts_what_a_board_holds(capsys: pytest.CaptureFixture[str]) -> None:
    """The demo board's folder: layers with unit and extent, drills by size, nets with their pads,
    plane pins.
    """
    folder = Path(__file__).parents[1] / "src/yellowfen/demo/board"
    assert main(["import", str(folder), "--json"]) == 0
    answer = json.loads(capsys.readouterr().out)
    assert answer["pads"] == {"top": 180, "bottom": 21}
    assert {
        layer["file"]: layer["unit"] for layer in answer["layers"] if layer["role"] == "paste top"
    } == {"reedgate-paste-top.gbr": "mm"}
    outline = next(layer for layer in answer["layers"] if layer["role"] == "outline")
    assert outline["extent_mm"] == pytest.approx([0, 0, 62, 44])
    assert {"drill_mm": 3.2, "plated": False, "count": 4} in answer["drills"]
    assert sum(net["pads"] for net in answer["nets"]) == 201
    assert {"U5", "U2"} <= {pin["ref"] for pin in answer["plane_pins"]}
    assert (answer["unresolved"], answer["proposals"]) == ([], [])
    assert main(["import", str(folder)]) == 0
    assert "62.0 x 44.0 mm, 46 parts, 201 pads" in capsys.readouterr().out


def test_triage_of_a_folder_and_of_a_stored_board(
    tmp_path: Path, filled: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    folder = Path(__file__).parents[1] / "src/yellowfen/demo/board"
    assert main(["triage", str(folder), "--json"]) == 0
    answer = json.loads(capsys.readouterr().out)
    assert answer["parts"][0]["ref"] == "U2"
    assert {"kind", "word", "reason", "weight", "mark"} == set(answer["parts"][0]["flags"][0])
    assert answer["advice"][0]["saves_min"] > 1
    shutil.copy(filled, tmp_path / DATABASE)
    assert main(["triage", "1", "--data", str(tmp_path)]) == 0
    assert capsys.readouterr().out.startswith("hard  U2")
    assert main(["triage", "9", "--data", str(tmp_path)]) == 2
    assert "there is no board 9" in capsys.readouterr().err


def test_paste_answers_with_the_named_fields(capsys: pytest.CaptureFixture[str]) -> None:
    folder = str(Path(__file__).parents[1] / "src/yellowfen/demo/board")
    assert main(["paste", folder, "--foil", "0.12", "--paste", "sn63-t4", "--json"]) == 0
    answer = json.loads(capsys.readouterr().out)
    assert {
        "ref",
        "pin",
        "area_mm2",
        "perimeter_mm",
        "area_ratio",
        "aspect_ratio",
        "transfer",
        "deposit_mm3",
        "solder_mm3",
        "verdict",
    } <= set(answer["openings"][0])
    assert answer["totals"]["openings"] == 212
    assert answer["totals"]["deposit_mm3"] == pytest.approx(
        sum(one["deposit_mm3"] for one in answer["openings"]), abs=1e-3
    )
    assert main(["paste", folder, "--foil", "0.15"]) == 0
    assert "mg of paste" in capsys.readouterr().out
    assert main(["paste", folder, "--foil", "7"]) == 2
    assert "foil_mm: 7 mm is outside" in capsys.readouterr().err


def test_an_interrupted_demo_is_added_whole_the_next_time(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    def interrupted(connection: object) -> bool:
        raise KeyboardInterrupt

    monkeypatch.setattr(demo, "furnish", interrupted)
    with pytest.raises(KeyboardInterrupt):
        main(["demo", "--data", str(tmp_path)])
    connection = open_database(tmp_path)
    assert boards.rows(connection) == []
    connection.close()
    monkeypatch.setattr(demo, "furnish", lambda connection: True)
    assert main(["demo", "--data", str(tmp_path)]) == 0
    assert "added" in capsys.readouterr().out


def test_demo_and_backup(
    tmp_path: Path, furnished: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    assert main(["backup", str(tmp_path / "b.sqlite3"), "--data", str(tmp_path)]) == 2
    assert main(["backup", str(tmp_path / "b.sqlite3"), "--data", str(furnished)]) == 0
    assert main(["serve", "--port", "0", "--data", str(tmp_path)]) == 2
    assert "backup written" in capsys.readouterr().out


def test_every_verb_stands_in_the_guide() -> None:
    guide = (Path(__file__).parents[1] / "docs" / "guide.md").read_text(encoding="utf-8")
    verbs = next(action for action in _parser()._actions if action.choices).choices
    for verb in verbs:
        assert f"yellowfen {verb}" in guide


def test_window_tune_and_calibrate_answer_with_the_documented_fields(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    given = json.loads(EXAMPLE.read_text()) | {
        "window": {"axis": "height_mm", "settings": [10, 20], "dwells_s": [20, 40]},
        "bench": {"foil": False},
    }
    file = tmp_path / "a.json"
    file.write_text(json.dumps(given))
    assert main(["window", str(file), "--json"]) == 0
    answer = json.loads(capsys.readouterr().out)
    assert answer["settings"] == [10, 20]
    assert len(answer["fates"][0]) == 2
    assert main(["window", str(file)]) == 0
    assert "o good" in capsys.readouterr().out
    assert main(["tune", str(file), "--json"]) == 0
    told = capsys.readouterr()
    assert json.loads(told.out)["proposals"][0]["calmest"]["sigmas"] > 0
    assert "tried: as it is set" in told.err
    example = EXAMPLE.parent / "calibration-example.json"
    assert main(["calibrate", str(example), "--json"]) == 0
    found = json.loads(capsys.readouterr().out)
    assert found["factors"][0]["identified"]
    assert found["doubts"]["jet_log_sd"] < 0.2
    assert main(["calibrate", str(example)]) == 0
    assert "strength of the air" in capsys.readouterr().out
    for text, field in (
        ("{}", "format"),
        (json.dumps(json.loads(example.read_text()) | {"melt_tests": []}), "tests"),
    ):
        file.write_text(text)
        assert main(["calibrate", str(file)]) == 2
        assert field in capsys.readouterr().err


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"source": {"kind": "hot_plate", "set_c": 9999}}, "source.set_c"),
        ({"source": {"kind": "moonlight"}}, "source"),
        ({"shields": [{"x_mm": 1}]}, "shields.0.y_mm"),
        ({"source": {"kind": "oven", "curve": [[0, 20, 20], [60, 200, 200]]}}, "moves.do"),
        ({"preheater": {"celsius": 1e9}}, "preheater.celsius"),
    ],
)
def test_invalid_sources_name_the_field(
    change: dict[str, object], field: str, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    file = tmp_path / "b.json"
    file.write_text(json.dumps(json.loads(EXAMPLE.read_text()) | change))
    assert main(["rehearse", str(file), "--json"]) == 2
    assert field in capsys.readouterr().err


def test_rehearse_says_how_sure_it_is_in_the_same_figures_as_the_page(
    capsys: pytest.CaptureFixture[str],
) -> None:
    from yellowfen.core.heat.doubt import Doubts
    from yellowfen.core.heat.rehearsal import rehearse
    from yellowfen.core.heat.sureness import sureness
    from yellowfen.formats.rehearsal_file import read_scene

    example = Path(__file__).parents[1] / "docs" / "rehearsal-example.json"
    assert main(["rehearse", str(example), "--bands", "--json"]) == 0
    bands = json.loads(capsys.readouterr().out)["bands"]
    scene = read_scene(example.read_bytes())
    sure = sureness(scene, Doubts(), rehearse(scene))
    for one, band in zip(bands["targets"], sure.melts, strict=True):
        assert one["ref"] in scene.targets
        assert (one["flow_low_s"], one["flow_mid_s"], one["flow_high_s"]) == tuple(
            at and round(at, 3) for at in (band.low, band.middle, band.high)
        )
        assert one["stop_s"] == (sure.harm.low and round(sure.harm.low, 3))
    assert {one["ref"] for one in bands["parts"]} >= set(scene.targets)
