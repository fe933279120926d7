"""Work out what the demo ships as found: its recipes and how sure its forecasts are.

`python scripts/demo_found.py FILE`
"""

import json
import sys
from pathlib import Path
from tempfile import TemporaryDirectory

from yellowfen.store.kept import kept_of
from yellowfen.workflows.demo import add_demo
from yellowfen.workflows.found import Found
from yellowfen.workflows.opening import open_database


def found() -> dict[str, str]:
    """The answers by their questions, each worked out."""
    with TemporaryDirectory() as folder:
        connection = open_database(Path(folder))
        noted = kept_of(connection, Found).noted = {}
        add_demo(connection)
        connection.close()
    return noted


if __name__ == "__main__":
    Path(sys.argv[1]).write_text(json.dumps(found(), indent=0, sort_keys=True) + "\n")
