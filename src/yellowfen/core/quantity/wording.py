"""Numbers in sentences."""


def counted(count: int, one: str, many: str = "") -> str:
    """'1 part', '3 parts'; `many` for words that do not just take an s."""
    return f"{count} {one if count == 1 else many or one + 's'}"
