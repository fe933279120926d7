"""One database connection per request."""

import sqlite3
from collections.abc import Iterator
from typing import Annotated

from fastapi import Depends, Request

from yellowfen.workflows.opening import connect_existing


def _connection(request: Request) -> Iterator[sqlite3.Connection]:
    connection = connect_existing(request.app.state.data)
    try:
        yield connection
    finally:
        connection.close()


Database = Annotated[sqlite3.Connection, Depends(_connection)]
