"""What the team got round to testing."""

from types import SimpleNamespace

import pytest
from fees import fee, weight_band
from gate import Refused, admit, check_in
from materials import Load, Material, handling
from sorting import sort_loads


class Gate:
    is_open = True
    today = 100
    lifted = 0

    def lift_barrier(self):
        self.lifted += 1


def permit(**changes):
    values = {"valid_until": 200, "materials": {Material.GLASS}, "max_kilos": 500} | changes
    return SimpleNamespace(**values)


def test_a_good_load_comes_in():
    gate = Gate()
    assert admit(Load(Material.GLASS, 120), permit(), gate) == "admit"
    assert gate.lifted == 1


def test_no_permit():
    assert admit(Load(Material.GLASS, 120), None, Gate()) == "refuse: no permit"


def test_empty_loads_are_not_booked():
    with pytest.raises(Refused):
        check_in(Load(Material.GLASS, 0), register=None)


def test_sorting_skips_what_is_unchecked():
    log = []
    assert sort_loads([Load(Material.GLASS, 5, checked=False)], {Material.GLASS: []}, log) == 0
    assert log[0][0] == "unchecked"


def test_fees():
    assert fee("glass", 50, member=False) == 0
    assert fee("metal", 10, member=True) == -50
    assert weight_band(99) == "A"


def test_handling():
    assert handling("glass") == "crusher"
