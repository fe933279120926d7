"""Plates, ovens, preheaters and irons of the bench."""

import sqlite3

from yellowfen.core.bench.station import Tool, ToolKind
from yellowfen.core.heat.source import HotPlate, Iron, Oven, Preheater
from yellowfen.errors import NotFound, Refused
from yellowfen.store.archive import free_name
from yellowfen.store.database import asked_once
from yellowfen.store.packing import pack, readable, unpack

CONTENT: dict[ToolKind, type[HotPlate | Oven | Preheater | Iron]] = {
    ToolKind.PLATE: HotPlate,
    ToolKind.OVEN: Oven,
    ToolKind.PREHEATER: Preheater,
    ToolKind.IRON: Iron,
}


def add(connection: sqlite3.Connection, tool: Tool) -> int:
    """Store a tool (its id is ignored); returns the id. Raises Refused when the name is taken."""
    free_name(connection, "tool", tool.name)
    try:
        cursor = connection.execute(
            "INSERT INTO tool (kind, name, content) VALUES (?, ?, ?)",
            (str(tool.kind), tool.name, pack(tool.content)),
        )
    except sqlite3.IntegrityError:
        raise Refused(
            f"something called {tool.name!r} is on the bench already; choose another name"
        ) from None
    return int(cursor.lastrowid or 0)


@asked_once
def rows(connection: sqlite3.Connection) -> list[Tool]:
    """All tools in the order they were entered."""
    found = connection.execute(
        "SELECT id, kind, name, content FROM tool WHERE removed_at IS NULL ORDER BY id"
    ).fetchall()
    return readable(found, _tool)


def _tool(row: sqlite3.Row) -> Tool:
    kind = ToolKind(row["kind"])
    return Tool(row["id"], kind, row["name"], unpack(CONTENT[kind], row["content"]))


def get(connection: sqlite3.Connection, tool_id: int) -> Tool:
    """The tool of that id. Raises NotFound where there is none."""
    row = connection.execute(
        "SELECT id, kind, name, content FROM tool WHERE id = ? AND removed_at IS NULL", (tool_id,)
    ).fetchone()
    if row is None:
        raise NotFound(f"there is no tool {tool_id} on the bench; it may have been removed")
    return _tool(row)
