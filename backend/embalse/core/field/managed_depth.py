"""How deep a root zone can be managed: where water reaches, held against where roots are counted."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np

from embalse.core.field.uptake import Uptake
from embalse.core.field.wetting import Wetting
from embalse.core.soil.layers import Layer
from embalse.core.wording import Notice

FEWEST_WETTINGS: Final = 6  # wettings before their reach is a habit (ours)
REACHED_SHARE: Final = 1 / 3  # of the wettings [-] that must reach a depth for it to be refilled now and then (ours)
LACKS_SHARE: Final = 0.1  # of available water [-] that what lies below must lack to matter (ours)


@dataclass(frozen=True)
class ManagedDepth:
    """A depth to manage the root zone to [cm], and why; None where there is nothing to propose.

    ``below_lacks_mm`` is what the soil between it and the root depth lacks of full [mm of the wetted soil],
    ``below_share`` the share of the uptake that comes from there [-], None where uptake is not known.
    """

    depth_cm: float | None
    words: Notice
    below_lacks_mm: float = 0.0
    below_share: float | None = None


def managed_depth(
    layers: Sequence[Layer],
    theta: Sequence[float | None],
    wettings: Sequence[Wetting],
    root_depth_cm: float,
    uptake: Uptake | None = None,
) -> ManagedDepth:
    """The depth water reaches, where roots are counted deeper and the soil below is dry and not rewetted.

    Under drip and other small sets the lower roots drink what winter left and no set brings back. Counted in, its
    depletion calls for water that never gets there. The depth proposed is the lower limit of the deepest layer that
    one wetting in three reached.

    Parameters
    ----------
    layers : sequence of Layer
        From the top down.
    theta : sequence of float or None
        Water content of each now [m³/m³]. Nothing is proposed where the next layer below is not read: water may reach
        it unseen. Further down a layer without one is left out of what is lacking.
    wettings : sequence of Wetting
        Of the last weeks, at this station.
    root_depth_cm : float
        Down to where roots are counted [cm].
    uptake : Uptake, optional
        Where roots drink.

    Returns
    -------
    ManagedDepth
        Without a depth where water reaches the roots' depth, nothing reaches any layer, too few wettings tell, or the
        soil below lacks less than a tenth of the available water.
    """
    count = len(wettings)
    if count < FEWEST_WETTINGS:
        return ManagedDepth(None, Notice("managed.few", wettings=count, wanted=FEWEST_WETTINGS))
    inside = [layer for layer in layers if layer.rooted_cm > 0]
    reached = [x for x in inside if np.mean([w.reach_cm >= x.depth_cm for w in wettings]) >= REACHED_SHARE]
    if not reached:
        return ManagedDepth(None, Notice("managed.nothing"))
    depth = float(reached[-1].bottom_cm)
    if depth >= root_depth_cm - 1:
        return ManagedDepth(None, Notice("managed.whole", roots_cm=root_depth_cm))
    below = [(x, t) for x, t in zip(layers, theta, strict=True) if x.rooted_cm > 0 and x.top_cm >= depth - 0.5]
    if below and below[0][1] is None:
        return ManagedDepth(None, Notice("managed.unread", depth_cm=below[0][0].depth_cm))
    lacks = sum(10 * x.rooted_cm * max(0.0, x.theta_full - t) for x, t in below if t is not None)
    taw = sum(10 * x.rooted_cm * (x.theta_full - x.theta_wilting) for x in inside)
    if lacks < LACKS_SHARE * taw:
        return ManagedDepth(None, Notice("managed.full_below", depth_cm=depth))
    share = None
    if uptake is not None and uptake.layers:
        deep = {x.depth_cm for x, _ in below}
        share = float(sum(y.share for y in uptake.layers if y.depth_cm in deep))
    passed = sum(w.reach_cm >= below[0][0].depth_cm for w in wettings) if below else 0
    words = Notice(
        "managed.proposed" if passed else "managed.none_passed",
        depth_cm=depth,
        roots_cm=root_depth_cm,
        wettings=count,
        passed=int(passed),
        lacks_mm=lacks,
        below_fraction=share,
    )
    return ManagedDepth(depth, words, lacks, share)
