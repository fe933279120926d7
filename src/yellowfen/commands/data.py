"""The commands of what is stored: import, serve, demo, backup."""

import argparse
from pathlib import Path

from yellowfen.commands.given import (
    files_in,
    print_json,
    read_bytes,
)
from yellowfen.core.quantity.units import MM, with_unit
from yellowfen.errors import InvalidValue
from yellowfen.formats.board_summary import board_json
from yellowfen.web.serving import serve
from yellowfen.workflows.boards import import_board, read_upload
from yellowfen.workflows.demo import add_demo
from yellowfen.workflows.opening import back_up, open_database


def run_import(given: argparse.Namespace) -> None:
    uploads = [(name, read_bytes(name)) for path in given.files for name in files_in(path)]
    board, _ = read_upload(uploads, thickness_mm=given.thickness)
    summary = board_json(board)
    if given.keep:
        summary["board_id"] = import_board(
            open_database(given.data), uploads, thickness_mm=given.thickness
        )
    if given.json:
        print_json(summary)
        return
    nets = len(summary["nets"])
    print(
        f"{board.name}: {board.width_mm:.1f} x {with_unit(board.height_mm, MM, 1)}, {len(board.parts)} parts, {len(board.pads)} pads, {len(board.holes)} holes, {nets} nets"
    )
    for layer in board.layers:
        print(f"  {layer.file}: {layer.role} ({layer.why})")
    for proposal in board.proposals:
        print(f"  ? {proposal.sentence}")
    for finding in board.findings:
        print(f"  ! {finding.about}: {finding.sentence}")


def run_serve(given: argparse.Namespace) -> None:
    """Serve a data folder. Raises InvalidValue for what is no port."""
    if not 1 <= given.port <= 65535:
        raise InvalidValue("port", f"{given.port} is not a port; choose 1024 to 65535")

    serve(given.data, given.port, given.last_good, given.begin_anew)


def run_demo(given: argparse.Namespace) -> None:
    added = add_demo(open_database(given.data))
    print(f"demo data {'added to' if added else 'already in'} {given.data}")


def run_backup(given: argparse.Namespace) -> None:
    back_up(given.data, Path(given.file))
    print(f"backup written to {given.file}")
