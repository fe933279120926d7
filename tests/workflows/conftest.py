"""A database with the demo's data, and what is refused on it: with a sentence, changing nothing."""

import shutil
import sqlite3
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path

import pytest

from yellowfen.errors import YellowfenError
from yellowfen.workflows.opening import DATABASE, open_database


@dataclass(frozen=True)
class Refusal:
    """A call that cannot be: how it is refused, with which words."""

    says: str
    error: type[YellowfenError]
    call: Callable[[sqlite3.Connection], object]

    def check(self, connection: sqlite3.Connection) -> None:
        before = connection.serialize()
        with pytest.raises(self.error) as told:
            self.call(connection)
        assert self.says in str(told.value)
        assert connection.serialize() == before


@pytest.fixture(scope="module")
def connection(
    tmp_path_factory: pytest.TempPathFactory, filled: Path
) -> Iterator[sqlite3.Connection]:
    folder = tmp_path_factory.mktemp("workflow")
    shutil.copy(filled, folder / DATABASE)
    opened = open_database(folder)
    yield opened
    opened.close()
