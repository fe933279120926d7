"""Running the server on loopback."""

import fcntl
import threading
from pathlib import Path
from typing import IO

import uvicorn

from yellowfen.errors import Refused
from yellowfen.web.app import create_app

LONGEST_FAREWELL_S = 2  # for answers under way; a weighing of many samples is given up


def serve(data: Path, port: int) -> None:
    """Serve until interrupted; prints the address.

    The kernel is loaded soon after, so no click waits for it.
    """
    held = _hold(data)
    app = create_app(data)
    warm_up = threading.Timer(1.5, _warm_up)
    warm_up.daemon = True
    warm_up.start()
    print(
        f"Yellowfen is at http://127.0.0.1:{port}/  (data in {data}; stop with Ctrl-C)", flush=True
    )
    uvicorn.run(
        app,
        host="127.0.0.1",
        port=port,
        log_level="warning",
        access_log=False,
        timeout_graceful_shutdown=LONGEST_FAREWELL_S,
    )
    held.close()


def _hold(data: Path) -> IO[str]:
    """The data folder for this server alone. Raises Refused when another one serves it."""
    data.mkdir(parents=True, exist_ok=True)
    held = (data / "serving.lock").open("a")
    try:
        fcntl.flock(held, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        held.close()
        raise Refused(
            f"another Yellowfen serves {data} already; use its page, or stop it first"
        ) from None
    return held


def _warm_up() -> None:
    from yellowfen.core.heat.compile_kernel import warm_up

    warm_up()
