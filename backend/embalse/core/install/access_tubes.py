"""Cut-and-mark list for the tubes that carry sensors down."""

from collections.abc import Sequence
from dataclasses import dataclass

from embalse.core.errors import require
from embalse.core.practice import practice
from embalse.core.wording import Notice


@dataclass(frozen=True)
class TubeCut:
    """A tube: label, sensor depth, length to cut and soil-line mark measured down from the top [cm]."""

    label: str
    depth_cm: float
    length_cm: float
    soil_line_cm: float


def tube_cuts(
    depths_cm: Sequence[float], stick_out_cm: float | None = None, overhang_cm: float | None = None
) -> list[TubeCut]:
    """Lengths and marks for a set of depths, all with the same stick-out so that a wrong depth shows at a glance.

    Parameters
    ----------
    depths_cm : sequence of float
        Depth of each sensor's middle [cm].
    stick_out_cm : float, optional
        Tube above the soil line [cm]; 19.05 (7.5 in) if absent.
    overhang_cm : float, optional
        How far the sensor's middle lies beyond the tube's end [cm]; 3.81 (1.5 in) if absent.

    Returns
    -------
    list of TubeCut
        From the shallowest, labelled 1 upwards.

    Raises
    ------
    CoreError
        If depths repeat or are not positive, or the tube would be cut less than 4 in longer than the depth.

    Notes
    -----
    Common practice, no source.

    Examples
    --------
    >>> [round(cut.length_cm / 2.54, 1) for cut in tube_cuts([6 * 2.54, 18 * 2.54, 30 * 2.54])]
    [12.0, 24.0, 36.0]
    """
    stick_out = practice("tube_stick_out_cm") if stick_out_cm is None else stick_out_cm
    overhang = practice("tube_overhang_cm") if overhang_cm is None else overhang_cm
    require(len(depths_cm) > 0, "depths_cm", "give at least one depth")
    require(overhang >= 0, "overhang_cm", "must not be negative")
    ordered = sorted(depths_cm)
    require(len(set(ordered)) == len(ordered), "depths_cm", "two sensors at the same depth")
    require(ordered[0] > overhang, "depths_cm", "must lie deeper than the sensor's own overhang")
    fewest = practice("tube_extra_cm")
    require(
        stick_out - overhang >= fewest - 1e-9,
        "stick_out_cm",
        Notice("error.tube", extra_cm=fewest, stick_out_cm=fewest + overhang),
    )
    return [TubeCut(str(n), depth, depth - overhang + stick_out, stick_out) for n, depth in enumerate(ordered, start=1)]
