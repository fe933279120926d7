"""The kinds of run that there are. A new kind is a module that makes its `KindOfRun`, and its name
here.
"""

from typing import Any

from yellowfen.core.run.hand_paste import PASTE
from yellowfen.core.run.heat import HEAT
from yellowfen.core.run.iron import IRON
from yellowfen.core.run.kit import KIT
from yellowfen.core.run.look import LOOK
from yellowfen.core.run.mend import MEND
from yellowfen.core.run.meter import CHECK
from yellowfen.core.run.pads import PADS
from yellowfen.core.run.placing import PLACE
from yellowfen.core.run.printing import PRINT
from yellowfen.core.run.removal import REMOVE
from yellowfen.core.run.run import KindOfRun
from yellowfen.core.run.washing import WASH

KINDS: dict[str, KindOfRun] = {
    kind.name: kind
    for kind in (
        *(HEAT, PLACE, PASTE, KIT, LOOK, IRON),
        *(PADS, CHECK, MEND, WASH, PRINT, REMOVE),
    )
}


def kind_of(plan: Any) -> KindOfRun:
    """The kind of run that follows a plan. Raises KeyError for a record that no run follows."""
    found = next((kind for kind in KINDS.values() if type(plan) is kind.plan), None)
    if found is None:
        raise KeyError(type(plan).__name__)
    return found
