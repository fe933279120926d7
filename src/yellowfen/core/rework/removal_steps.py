"""The steps by which a part comes off without a heat of the model's, by the way that was chosen."""

from yellowfen.core.rework.ways_off import OffWay
from yellowfen.core.run.removal import RemovalRun, RemovalStep

BY_HAND = frozenset(
    {OffWay.TWO_IRONS, OffWay.TO_AND_FRO, OffWay.REMOVAL, OffWay.CUT, OffWay.PIN_BY_PIN}
)
_FLUX = RemovalStep(
    title="Flux along every row", press="Flux is on", detail="it carries the heat from lead to lead"
)


def removal_run(ref: str, way: OffWay, settings: str = "") -> RemovalRun:
    """The run that takes a part off; `settings` are what the survey says of the way. [common
    practice]
    """
    return RemovalRun(
        ref=ref, way=str(way), steps=_steps(way, settings), melts=way is not OffWay.CUT
    )


def _steps(way: OffWay, settings: str) -> tuple[RemovalStep, ...]:
    if way is OffWay.TWO_IRONS:
        return (
            _FLUX,
            RemovalStep(
                title="Flood each row with solder", press="Both rows are flooded", detail=settings
            ),
            RemovalStep(
                title="One iron on each row, to and fro",
                press="All of it is molten",
                detail="until the part moves by itself",
                mind="never push: a pad that tears is gone",
            ),
        )
    if way is OffWay.TO_AND_FRO:
        return (
            _FLUX,
            RemovalStep(
                title="Solder on both ends, the iron from one to the other",
                press="Both ends are molten",
                detail=settings,
                mind="never lever it up with the tip",
            ),
        )
    if way is OffWay.REMOVAL:
        return (
            _FLUX,
            RemovalStep(
                title="Melt removal alloy into every row",
                press="The alloy is in every joint",
                detail=settings,
            ),
            RemovalStep(
                title="The iron round all sides",
                press="All of it stays molten",
                detail="the mixture stays molten for seconds after the iron has left",
            ),
        )
    if way is OffWay.CUT:
        return (
            RemovalStep(
                title="Cut every lead at the body",
                press="Every lead is cut",
                detail=settings,
                mind="eye protection: cut ends fly; no blade on the pads or the board",
            ),
        )
    return (
        _FLUX,
        RemovalStep(
            title="Pin after pin: melt it, free it, wick it dry",
            press="Every pin is free",
            detail=settings,
            mind="a pin that does not move is not free: more flux, once again",
        ),
    )
