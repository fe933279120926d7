"""One truth for constants: docs/sources.md is the register printed, and a name cannot be given
twice.
"""

from pathlib import Path

import pytest

from yellowfen.core.source.mark import REGISTER, Mark, constant
from yellowfen.workflows.listing import sources_page

PAGE = Path(__file__).parents[2] / "docs" / "sources.md"


def test_the_page_is_the_register() -> None:
    assert PAGE.read_text(encoding="utf-8") == sources_page(), (
        "run: .venv/bin/python -m yellowfen.workflows.listing > docs/sources.md"
    )


def test_every_constant_has_unit_source_and_effect() -> None:
    assert len(REGISTER) > 40
    for one in REGISTER.values():
        assert one.unit
        assert one.source
        assert one.affects


def test_a_name_is_given_once() -> None:
    name = next(iter(REGISTER))
    with pytest.raises(ValueError, match="registered twice"):
        constant(name, 1.0, "1", mark=Mark.FROM_MEMORY, source="test", affects="test")
