"""A board's summary as JSON, for the command line: what was read, counted, and what stays open with
its reason.
"""

from collections import Counter
from typing import Any

from yellowfen.core.board.board import Board, BoardPart, LayerGuess


def board_json(board: Board) -> dict[str, Any]:
    """Layers with unit and extent, pads, paste, drills, copper, parts, nets, proposals, findings."""
    nets = Counter(pad.net for pad in board.pads if pad.net)
    return {
        "name": board.name,
        "width_mm": board.width_mm,
        "height_mm": board.height_mm,
        "thickness_mm": board.thickness_mm,
        "layers": [_layer(layer) for layer in board.layers],
        "pads": {side: sum(pad.side == side for pad in board.pads) for side in ("top", "bottom")},
        "paste_openings": board.paste_openings,
        "paste_area_mm2": board.paste_area_mm2,
        "holes": len(board.holes),
        "drills": _drills(board),
        "slots": sum(hole.x2_mm is not None for hole in board.holes),
        "copper": [{"layer": foil.layer, "area_mm2": foil.area_mm2} for foil in board.copper],
        "parts": [_part(part) for part in board.parts],
        "nets": [{"net": net, "pads": count} for net, count in sorted(nets.items())],
        "plane_pins": [
            {"ref": pad.ref, "pin": pad.pin, "net": pad.net, "tie": pad.tie}
            for pad in board.pads
            if pad.tie and pad.ref
        ],
        "proposals": [
            {
                "sentence": proposal.sentence,
                "fits_before": proposal.fits_before,
                "fits_after": proposal.fits_after,
                "of": proposal.of,
            }
            for proposal in board.proposals
        ],
        "unresolved": [
            {"about": finding.about, "sentence": finding.sentence} for finding in board.findings
        ],
    }


def _layer(guess: LayerGuess) -> dict[str, Any]:
    return {
        "file": guess.file,
        "role": str(guess.role),
        "why": guess.why,
        "facts": guess.facts,
        "unit": guess.unit,
        "extent_mm": guess.extent_mm,
        "problem": guess.problem,
    }


def _drills(board: Board) -> list[dict[str, Any]]:
    """How many holes of each drill, plated or not."""
    counts = Counter((round(hole.drill_mm, 3), hole.plated) for hole in board.holes)
    return [
        {"drill_mm": size, "plated": plated, "count": count}
        for (size, plated), count in sorted(counts.items())
    ]


def _part(part: BoardPart) -> dict[str, Any]:
    return {
        "ref": part.ref,
        "value": part.value,
        "package": part.package.name,
        "side": part.side,
        "x_mm": round(part.x_mm, 3),
        "y_mm": round(part.y_mm, 3),
        "rotation_deg": part.rotation_deg,
        "pads": len(part.package.lands),
        "note": part.note,
    }
