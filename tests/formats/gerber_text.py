"""Small Gerber texts for tests."""

HEAD = "%FSLAX36Y36*%\n%MOMM*%\n"


def gerber(body: str, apertures: str = "", head: str = HEAD, end: str = "M02*\n") -> bytes:
    """A file with these aperture definitions and commands; coordinates in millionths of a
    millimetre.
    """
    return f"{head}{apertures}{body}{end}".encode()


def at(x: float, y: float, code: str) -> str:
    """A coordinate command in mm."""
    return f"X{round(x * 1e6)}Y{round(y * 1e6)}{code}*\n"
