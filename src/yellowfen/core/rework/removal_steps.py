"""The steps by which a part comes off without a heat of the model's, by the way that was chosen."""

from dataclasses import replace

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
    first, *rest = _WORK.get(way, _PIN_BY_PIN)
    flux = () if way is OffWay.CUT else (_FLUX,)
    return *flux, replace(first, detail=settings), *rest


# What is done after the flux; the first step is told with the settings of the tools.
_WORK: dict[OffWay, tuple[RemovalStep, ...]] = {
    OffWay.TWO_IRONS: (
        RemovalStep(title="Flood each row with solder", press="Both rows are flooded"),
        RemovalStep(
            title="One iron on each row, back and forth",
            press="All of it is molten",
            detail="until the part moves by itself",
            mind="never push: pads tear off",
        ),
    ),
    OffWay.TO_AND_FRO: (
        RemovalStep(
            title="Solder on both ends, move the iron from one end to the other",
            press="Both ends are molten",
            mind="never lever it up with the tip",
        ),
    ),
    OffWay.REMOVAL: (
        RemovalStep(title="Melt removal alloy into every row", press="The alloy is in every joint"),
        RemovalStep(
            title="Move the iron around all sides",
            press="Everything stays molten",
            detail="the mixture stays molten for seconds after the iron is taken away",
        ),
    ),
    OffWay.CUT: (
        RemovalStep(
            title="Cut every lead at the body",
            press="Every lead is cut",
            mind="eye protection: cut ends fly; keep the blade off the pads and the board",
        ),
    ),
}
_PIN_BY_PIN = (
    RemovalStep(
        title="Pin by pin: melt it, free it, remove its solder with wick",
        press="Every pin is free",
        mind="a pin that does not move is not free: add flux and repeat",
    ),
)
