"""The commands of what is stored: import, serve, demo, backup."""

import argparse
from collections import Counter
from pathlib import Path
from typing import Any

from yellowfen.commands.given import (
    files_in,
    print_json,
    read_bytes,
)
from yellowfen.core.board.board import Board
from yellowfen.errors import InvalidValue
from yellowfen.web.serving import serve
from yellowfen.workflows.boards import import_board, read_upload
from yellowfen.workflows.demo import add_demo
from yellowfen.workflows.opening import back_up, open_database


def run_import(given: argparse.Namespace) -> None:
    uploads = [(name, read_bytes(name)) for path in given.files for name in files_in(path)]
    board, _ = read_upload(uploads, thickness_mm=given.thickness)
    summary = _summary(board)
    if given.keep:
        summary["board_id"] = import_board(
            open_database(given.data), uploads, thickness_mm=given.thickness
        )
    if given.json:
        print_json(summary)
        return
    nets = len(summary["nets"])
    print(
        f"{board.name}: {board.width_mm:.1f} x {board.height_mm:.1f} mm, {len(board.parts)} parts, {len(board.pads)} pads, {len(board.holes)} holes, {nets} nets"
    )
    for layer in board.layers:
        print(f"  {layer.file}: {layer.role} ({layer.why})")
    for proposal in board.proposals:
        print(f"  ? {proposal.sentence}")
    for finding in board.findings:
        print(f"  ! {finding.about}: {finding.sentence}")


def _summary(board: Board) -> dict[str, Any]:
    """What was read, counted: layers with unit and extent, pads, paste, drills, copper, parts,
    nets, and what stays open with its reason.
    """
    nets = Counter(pad.net for pad in board.pads if pad.net)
    return {
        "name": board.name,
        "width_mm": board.width_mm,
        "height_mm": board.height_mm,
        "thickness_mm": board.thickness_mm,
        "layers": [
            {
                "file": one.file,
                "role": str(one.role),
                "why": one.why,
                "facts": one.facts,
                "unit": one.unit,
                "extent_mm": one.extent_mm,
                "problem": one.problem,
            }
            for one in board.layers
        ],
        "pads": {side: sum(pad.side == side for pad in board.pads) for side in ("top", "bottom")},
        "paste_openings": board.paste_openings,
        "paste_area_mm2": board.paste_area_mm2,
        "holes": len(board.holes),
        "drills": [
            {"drill_mm": size, "plated": plated, "count": count}
            for (size, plated), count in sorted(
                Counter((round(hole.drill_mm, 3), hole.plated) for hole in board.holes).items()
            )
        ],
        "slots": sum(hole.x2_mm is not None for hole in board.holes),
        "copper": [{"layer": one.layer, "area_mm2": one.area_mm2} for one in board.copper],
        "parts": [
            {
                "ref": p.ref,
                "value": p.value,
                "package": p.package.name,
                "side": p.side,
                "x_mm": round(p.x_mm, 3),
                "y_mm": round(p.y_mm, 3),
                "rotation_deg": p.rotation_deg,
                "pads": len(p.package.lands),
                "note": p.note,
            }
            for p in board.parts
        ],
        "nets": [{"net": net, "pads": count} for net, count in sorted(nets.items())],
        "plane_pins": [
            {"ref": pad.ref, "pin": pad.pin, "net": pad.net, "tie": pad.tie}
            for pad in board.pads
            if pad.tie and pad.ref
        ],
        "proposals": [
            {
                "sentence": one.sentence,
                "fits_before": one.fits_before,
                "fits_after": one.fits_after,
                "of": one.of,
            }
            for one in board.proposals
        ],
        "unresolved": [{"about": one.about, "sentence": one.sentence} for one in board.findings],
    }


def run_serve(given: argparse.Namespace) -> None:
    if not 1 <= given.port <= 65535:
        raise InvalidValue("port", f"{given.port} is not a port; choose 1024 to 65535")

    serve(given.data, given.port, given.last_good, given.begin_anew)


def run_demo(given: argparse.Namespace) -> None:
    added = add_demo(open_database(given.data))
    print(f"demo data {'added to' if added else 'already in'} {given.data}")


def run_backup(given: argparse.Namespace) -> None:
    back_up(given.data, Path(given.file))
    print(f"backup written to {given.file}")
