"""Running the server on loopback."""

import fcntl
import io
import socket
import sys
import threading
import time
from pathlib import Path
from typing import IO

import uvicorn
from fastapi import FastAPI

from yellowfen.errors import InvalidValue, Refused
from yellowfen.web.app import create_app
from yellowfen.workflows.opening import keep_good, open_soundly

SWITCH_S = 0.001
WORKER_AFTER_S = 6.0  # behind the first clicks
COPY_AFTER_S, LOOK_FOR_COPY_EVERY_S = 20.0, 3600.0
LONGEST_FAREWELL_S = 2  # for answers under way; a weighing of many samples is given up


def serve(data: Path, port: int, last_good: bool = False, begin_anew: bool = False) -> None:
    """Serve until interrupted; prints the address.

    The kernel is loaded soon after, and the worker for heat a little later, so no click waits for
    them.
    """
    sys.setswitchinterval(SWITCH_S)  # a tap waits less for a page that is being made
    held = _hold(data)
    door = _door(port)
    open_soundly(data, last_good, begin_anew).close()
    app = create_app(data)
    warm_up = threading.Timer(1.5, _warm_up)
    warm_up.daemon = True
    warm_up.start()
    worker = threading.Timer(WORKER_AFTER_S, app.state.worker.wake)
    worker.daemon = True
    worker.start()
    threading.Thread(target=_keep_copies, args=(app, data), daemon=True).start()
    print(
        f"Yellowfen is at http://127.0.0.1:{port}/  (data in {data}; stop with Ctrl-C)", flush=True
    )
    config = uvicorn.Config(
        app,
        host="127.0.0.1",
        port=port,
        log_level="warning",
        access_log=False,
        timeout_graceful_shutdown=LONGEST_FAREWELL_S,
    )
    uvicorn.Server(config).run(sockets=[door])
    held.close()


def _door(port: int) -> socket.socket:
    """The listening socket; the address is told only once it is ours. Raises Refused for a port
    that another program has.
    """
    door = socket.socket(socket.AF_INET, socket.SOCK_STREAM)
    door.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        door.bind(("127.0.0.1", port))
        door.listen(128)
    except OSError as problem:
        door.close()
        raise Refused(
            f"port {port} cannot be used ({problem.strerror}); choose another: PORT=8471 make demo, or yellowfen serve --port 8471"
        ) from None
    return door


def _hold(data: Path) -> IO[str]:
    """The data folder for this server alone. Raises Refused when another one serves it."""
    try:
        data.mkdir(parents=True, exist_ok=True)
    except OSError as problem:
        raise InvalidValue("data", f"the folder {data} cannot be used ({problem})") from None
    try:
        held = (data / "serving.lock").open("a")
    except PermissionError:
        return io.StringIO()  # a folder that is only read may be served twice
    try:
        fcntl.flock(held, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        held.close()
        raise Refused(
            f"another Yellowfen serves {data} already; use its page, or stop it first"
        ) from None
    return held


def _keep_copies(app: FastAPI, data: Path) -> None:
    """Keep a good copy while the server runs; what the database lacks beside it stands on the first
    page.
    """
    time.sleep(COPY_AFTER_S)
    while True:
        app.state.lacks = keep_good(data)
        time.sleep(LOOK_FOR_COPY_EVERY_S)


def _warm_up() -> None:
    from yellowfen.core.heat.compile_kernel import warm_up

    warm_up()
