"""A seeded share of the hostile requests that `make fuzz` sends."""

import pytest

from tests.hostile import attacked


@pytest.mark.slow
def test_no_hostile_request_is_answered_with_an_error_of_ours() -> None:
    statuses, bad = attacked(350, seed=77)
    assert bad == []
    assert statuses[422] > 50
