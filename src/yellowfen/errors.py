"""The errors Yellowfen raises on purpose.

Each message is one sentence for the user: what, where, what to do.

This module imports nothing, so every other one may use it. No class knows HTTP; web/errors.py maps
them.
"""


class YellowfenError(Exception):
    """Root of all errors whose text may be shown to the user."""


class InvalidValue(YellowfenError):
    """A setting or a field of a file that cannot be right.

    `field` is the dotted name a user would recognise, such as `source.outlet_c`.
    """

    def __init__(self, field: str, problem: str) -> None:
        super().__init__(f"{field}: {problem}")
        self.field = field
        self.problem = problem


class UnreadableFile(YellowfenError):
    """A file that cannot be understood; names the file and, where known, line and column (both from
    1). Of a whole set `guesses` says what each file was taken for.
    """

    def __init__(
        self, file: str, problem: str, line: int | None = None, column: int | None = None
    ) -> None:
        place = (
            file
            + (f", line {line}" if line else "")
            + (f", column {column}" if line and column else "")
        )
        super().__init__(f"{place}: {problem}")
        self.file = file
        self.line = line
        self.column = column
        self.guesses: tuple[object, ...] = ()

    @classmethod
    def told(cls, file: str, said: str) -> "UnreadableFile":
        """The same error from its whole sentence, as it crosses from another process."""
        problem = cls(file, "")
        problem.args = (said,)
        return problem


class Damaged(YellowfenError):
    """A stored record that no longer passes its own rules."""


class NotFound(YellowfenError):
    """Something asked for by its number does not exist (any more)."""


class Refused(YellowfenError):
    """A request that is understood but cannot be done in the present state."""


class WhichBoard(Exception):
    """A job of several boards is worked on, and nobody said which one is on the bench. No page tells
    it at a field of its own: it is a question, asked on the page of the job's boards.
    """

    def __init__(self, job_id: int) -> None:
        super().__init__("say first which board is on the bench, or that all are alike")
        self.job_id = job_id


class TooLarge(YellowfenError):
    """An upload beyond the stated bounds."""
