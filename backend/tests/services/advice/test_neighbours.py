"""Blocks of one crop whose use lies apart say so, on the Round and on their pages alike."""

from embalse.config import Settings
from embalse.services.advice.advise import round_content
from embalse.services.advice.block_page import block_content
from embalse.services.document.export import farm_document as exported
from tests.conftest import put

MORNING = "2026-07-14T06:00"


def test_two_blocks_of_one_crop_that_use_apart(demo: Settings) -> None:
    assert not [b.key for b in round_content().blocks for c in b.cautions if c.code == "caution.use_apart"]
    block = next(b for b in exported()["blocks"] if b["key"] == "olivar")
    put({"embalse": 1, "blocks": [block | {"crop": "almond", "crop_values": {}}]})
    said = {b.key: c for b in round_content().blocks for c in b.cautions if c.code == "caution.use_apart"}
    assert set(said) == {"olivar", "norte-1"}
    assert "Norte 1" in said["olivar"].text and "Check, in this order: wetted area" in said["olivar"].text
    page = [c for c in block_content("olivar").advice.cautions if c.code == "caution.use_apart"]
    assert [c.values for c in page] == [said["olivar"].values]
