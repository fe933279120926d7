"""Bytes of a text file to text, whatever wrote them, and places in it for error sentences."""


def decoded(data: bytes) -> str:
    """UTF-8 or UTF-16 with a byte order mark, UTF-8 without, else Latin-1, which reads anything."""
    for mark, encoding in (
        (b"\xef\xbb\xbf", "utf-8-sig"),
        (b"\xff\xfe", "utf-16"),
        (b"\xfe\xff", "utf-16"),
    ):
        if data.startswith(mark):
            return data.decode(encoding, errors="replace")
    try:
        return data.decode("utf-8")
    except UnicodeDecodeError:
        return data.decode("latin-1")


def place_of(text: str, at: int) -> tuple[int, int]:
    """Line and column, from 1, of a position in a text; white space before the next word is passed
    over.
    """
    while at < len(text) and text[at].isspace():
        at += 1
    before = text.rfind("\n", 0, at)
    return text.count("\n", 0, at) + 1, at - before


def is_text(data: bytes) -> bool:
    """False when the first bytes cannot be text."""
    return b"\0" not in data[:4000] or data.startswith((b"\xff\xfe", b"\xfe\xff"))
