"""The zones that a crew may choose."""

from zoneinfo import ZoneInfo

import pytest

from keeve.core.errors import InputError
from keeve.core.zones import zone_named, zones


def test_every_zone_can_be_used_and_lies_on_the_map() -> None:
    assert len(zones()) > 400
    for name, place in zones().items():
        assert zone_named(name) == ZoneInfo(name)
        assert -90 <= place.latitude_deg <= 90
        assert -180 <= place.longitude_deg <= 180


@pytest.mark.parametrize(
    ("name", "latitude_deg", "longitude_deg"),
    # Of an atlas, from memory, to half a degree.
    [
        ("Europe/London", 51.5, -0.1),
        ("Australia/Sydney", -33.9, 151.2),
        ("America/Los_Angeles", 34.1, -118.2),
    ],
)
def test_a_zone_lies_where_its_town_does(name: str, latitude_deg: float, longitude_deg: float) -> None:
    assert zones()[name] == pytest.approx((latitude_deg, longitude_deg), abs=0.5)


@pytest.mark.parametrize("name", ["", "Europe/Nowhere", "../etc/passwd", "posixrules"])
def test_no_other_zone_is_taken(name: str) -> None:
    with pytest.raises(InputError, match="from the list"):
        zone_named(name)
