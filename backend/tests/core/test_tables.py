"""The handbook tables: a crop is found by its first words."""

from embalse.core.tables import crop_defaults, crops


def test_crop_found_by_its_first_words_only_when_that_is_one_crop() -> None:
    found = crop_defaults("Almond")
    assert found is not None and found.crop == "almond no cover"
    assert crop_defaults("bean") is None
    assert crop_defaults("dragon fruit") is None
    assert len(crops()) > 40
