"""A bounded share of the mutated files; `make fuzz` runs the rest."""

from contextlib import closing
from pathlib import Path

import pytest

from tests.fuzz import Trial

COUNT = 40


@pytest.mark.slow
def test_mutated_files_are_read_or_refused(tmp_path: Path) -> None:
    with closing(Trial(tmp_path)) as trial:
        assert [said for seed in range(COUNT) if (said := trial.case(seed))] == []
        assert {200, 422} <= set(trial.statuses)
