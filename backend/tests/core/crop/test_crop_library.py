"""What the library has of each crop, and what it says it lacks."""

import pytest

from embalse.core.crop.crop_library import cutting_kc, lacks, library, library_crop


def test_a_complete_crop_lacks_nothing() -> None:
    assert lacks("tomato") == [] and lacks("dragon fruit") == []


@pytest.mark.parametrize(
    ("crop", "lacking"),
    [("garlic", "how long its stages are"), ("olive", "a tension to irrigate at"),
     ("almond", "what a shortage costs in yield")],
)  # fmt: skip
def test_what_is_missing_is_said(crop: str, lacking: str) -> None:
    assert lacking in lacks(crop)


def test_each_crop_has_what_it_does_not_say_it_lacks() -> None:
    for crop in library():
        told = lacks(crop.crop)
        assert ("how long its stages are" in told) == (crop.value("mid_days") is None), crop.crop
        assert ("a tension to irrigate at" in told) == (crop.value("tension_high_kpa") is None), crop.crop
        assert crop.value("kc_end") is not None and crop.value("root_depth_cm") is not None


@pytest.mark.published(
    source="FAO-56 (Allen et al. 1998), Table 12, alfalfa hay, individual cuttings; recalled, high confidence"
)
def test_alfalfa_within_a_cutting_goes_higher_than_its_average() -> None:
    assert cutting_kc("alfalfa") == (0.40, 1.20, 1.15)
    average = library_crop("alfalfa")
    assert average is not None and (average.value("kc_mid"), average.value("kc_end")) == (0.95, 0.90)
    assert cutting_kc("tomato") is None and cutting_kc("dragon fruit") is None


def test_only_five_crops_are_without_stages() -> None:
    without = [c.crop.split()[0] for c in library() if c.value("mid_days") is None]
    assert without == ["garlic", "strawberry", "rapeseed/canola", "avocado", "kiwi"]
