"""Hostile requests over every route of the application: odd paths, queries, forms and JSON, seeded.

`make fuzz` sends fifty thousand, the test run some hundreds. None may be answered with 500 and
above, and afterwards every stored record is as sound as before. (A generator of our own: it knows
the forms' field names from the pages, which a schema of loosely typed forms does not tell.)
"""

import argparse
import json
import logging
import random
import re
import shutil
import sys
import tempfile
from collections import Counter
from importlib import resources
from pathlib import Path
from typing import Any

from fastapi.routing import APIRoute
from fastapi.testclient import TestClient
from pydantic import BaseModel

from yellowfen.store import damaged
from yellowfen.web.app import create_app
from yellowfen.workflows import demo
from yellowfen.workflows.opening import DATABASE, back_up, connect_existing, open_database

TEXTS = (
    *("", "0", "1", "-1", "2", "9" * 19, str(2**63), str(2**64), "1e308", "1e400", "nan", "inf"),
    *(
        "-inf",
        "NaN",
        "١٢",
        "²",
        "0x10",
        "1,5",
        "1.5",
        ".",
        "-",
        "+",
        " ",
        "\t",
        "\n",
        "\x00",
        "a\x00b",
    ),
    *(
        "R1",
        "U4",
        "U4.1",
        "R1-R999999",
        "C1,C2;C3",
        "top",
        "bottom",
        "left",
        "true",
        "false",
        "null",
    ),
    *(
        "😀",
        "é" * 300,
        "x" * 5000,
        "9" * 100_000,
        "<script>",
        "'; DROP TABLE board; --",
        "../../etc",
    ),
    *("%00", "{{7*7}}", "[]", "{}", '{"a":1}', "[1,2", "=1+1", "on", "yes", "keep", "take", "undo"),
    *("start", "0603", "SOIC-8", "QFN-20", "Sn63Pb37", "sn63-t4", "lot²", "lot1", "gull-wing"),
)
VALUES: tuple[Any, ...] = (
    *TEXTS[:40],
    *(None, True, False, 0, 1, -1, 2**63, -(2**63) - 1, 1e308, 0.1, [], {}, [[]], [1, "x", None]),
    *({"x": 1}, ["U4"], ["U4", "U4"], "\ud800", [0.0] * 500),
)
FRESH_AFTER = 700


def field_names() -> tuple[str, ...]:
    """Every field name that stands in a page."""
    folder = resources.files("yellowfen.web.templates")
    found = {
        name
        for page in folder.iterdir()
        if page.name.endswith(".html")
        for name in re.findall(r'name="([a-z_:0-9]+)"', page.read_text(encoding="utf-8"))
    }
    return tuple(sorted(found))


class Attacker:
    """An application on the demo data and what it answered."""

    def __init__(self, folder: Path, filled: Path, seed: int = 1) -> None:
        folder.mkdir()
        shutil.copy(filled, folder / DATABASE)
        self.folder = folder
        app = self.app = create_app(folder)
        self.client = TestClient(
            app, base_url="http://127.0.0.1", raise_server_exceptions=False, follow_redirects=False
        )
        self.client.get("/today")  # by then all routes are there
        self.routes = [
            (route, method)
            for room in app.routes
            for route in getattr(getattr(room, "original_router", None), "routes", ())
            if isinstance(route, APIRoute)
            for method in sorted(route.methods)
            if method != "HEAD"
        ]
        self.names = field_names()
        self.chance = random.Random(seed)
        self.statuses: Counter[int] = Counter()
        self.bad: list[str] = []

    def close(self) -> None:
        """End the workers that the requests woke."""
        self.app.state.worker.stop()
        self.app.state.importer.stop()

    def path(self, route: APIRoute) -> str:
        def value(match: re.Match[str]) -> str:
            if self.chance.random() < 0.7:
                return "1"
            return str(
                self.chance.choice(("0", "2", "-1", str(2**63), "x", "²", "R1", "%00", "a" * 300))
            )

        return re.sub(r"\{[a-z_]+(?::path)?\}", value, route.path)

    def fields(self, route: APIRoute) -> dict[str, Any]:
        own = [one.name for one in (*route.dependant.body_params, *route.dependant.query_params)]
        names = [*own, *self.chance.sample(self.names, 3)]
        return {name: self.chance.choice(TEXTS) for name in names if self.chance.random() < 0.8}

    def body(self, route: APIRoute) -> Any:
        """JSON for a route that takes a model: its fields with odd values, or no object at all."""
        model = next(
            (
                one.field_info.annotation
                for one in route.dependant.body_params
                if isinstance(one.field_info.annotation, type)
                and issubclass(one.field_info.annotation, BaseModel)
            ),
            None,
        )
        names = list(model.model_fields) if model else list(self.names[:5])
        if self.chance.random() < 0.1:
            return self.chance.choice(VALUES)
        return {name: self.chance.choice(VALUES) for name in names if self.chance.random() < 0.8}

    def send(self) -> None:
        """One request; what is wrong is noted."""
        route, method = self.chance.choice(self.routes)
        if route.path.endswith(("remove", "cancel")) and self.chance.random() < 0.95:
            return  # else soon nothing is left to attack
        path = self.path(route)
        kind = self.chance.random()
        said: dict[str, Any] = {}
        if method in ("POST", "PUT", "DELETE"):
            if kind < 0.45:
                said = {"data": self.fields(route)}
            elif kind < 0.85:
                text = json.dumps(self.body(route))
                said = {"content": text.encode(), "headers": {"content-type": "application/json"}}
            else:
                noise = bytes(self.chance.randrange(256) for _ in range(self.chance.randrange(400)))
                form = self.chance.choice(
                    (
                        "application/json",
                        "multipart/form-data; boundary=x",
                        "application/x-www-form-urlencoded",
                    )
                )
                said = {"content": noise, "headers": {"content-type": form}}
        else:
            said = {"params": self.fields(route)}
        if self.chance.random() < 0.4:
            said.setdefault("headers", {})["accept"] = "application/json"
        try:
            reply = self.client.request(method, path, **said)
        except Exception as problem:  # the client may refuse to send what no client would
            self.statuses[0] += 1
            if "URL" not in repr(problem) and "Invalid" not in repr(problem):
                self.bad.append(f"{method} {path}: {problem!r}"[:300])
            return
        self.statuses[reply.status_code] += 1
        if reply.status_code >= 500:
            self.bad.append(f"{reply.status_code} {method} {path} {str(said)[:300]}")

    def damaged(self) -> list[str]:
        """Records that the requests left damaged."""
        connection = connect_existing(self.folder)
        found = [f"{one.table} {one.row}: {one.said}" for one in damaged.found(connection)]
        connection.close()
        return found


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--count", type=int, default=50_000)
    parser.add_argument("--seed", type=int, default=1)
    given = parser.parse_args()
    logging.getLogger("httpx2").setLevel(logging.WARNING)
    statuses, bad = attacked(given.count, given.seed)
    print(f"{given.count} requests: {dict(sorted(statuses.items()))}")
    print("\n".join(bad[:60]) or "no problem found")
    return 1 if bad else 0


def attacked(count: int, seed: int) -> tuple[Counter[int], list[str]]:
    """(answers by status, what went wrong) of so many requests, on fresh data again and again."""
    statuses: Counter[int] = Counter()
    bad: list[str] = []
    with tempfile.TemporaryDirectory() as folder:
        first = Path(folder) / "filled"
        connection = open_database(first)
        demo.fill(connection)
        back_up(first, Path(folder) / "filled.sqlite3")
        connection.close()
        for number, done in enumerate(range(0, count, FRESH_AFTER)):
            home = Path(folder) / f"attack-{number}"
            attacker = Attacker(home, Path(folder) / "filled.sqlite3", seed + number)
            for _ in range(min(FRESH_AFTER, count - done)):
                attacker.send()
            attacker.close()
            statuses += attacker.statuses
            bad += [*attacker.bad, *attacker.damaged()]
    return statuses, bad


if __name__ == "__main__":
    sys.exit(main())
