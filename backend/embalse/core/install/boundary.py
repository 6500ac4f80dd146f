"""A block's outline on the ground: its area on the ellipsoid, and distances within it."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations, pairwise

from geographiclib.geodesic import Geodesic

from embalse.core.errors import CoreError, require
from embalse.core.wording import Notice

LonLat = tuple[float, float]
Metres = tuple[float, float]
SMALLEST_HA = 0.001  # hectares; less is a slip of the finger on the map


class OutlineError(CoreError):
    """A ring that encloses no block."""


def checked_ring(points: Sequence[Sequence[float]]) -> list[LonLat]:
    """A ring of corners, open (the first is not repeated), from longitude and latitude [degrees].

    Raises
    ------
    OutlineError
        If there are fewer than three corners, one is off the globe, or the line crosses itself.
    """
    ring = [(float(p[0]), float(p[1])) for p in points]
    if len(ring) > 1 and ring[0] == ring[-1]:
        ring = ring[:-1]
    for index, (lon, lat) in enumerate(ring):
        require(
            -180 <= lon <= 180 and -90 < lat < 90,
            f"outline[{index}]",
            "must be longitude then latitude in degrees",
            OutlineError,
        )
    require(len(set(ring)) >= 3, "outline", "needs at least three corners", OutlineError)
    sides = list(pairwise([*ring, ring[0]]))
    for (i, one), (j, two) in combinations(enumerate(sides), 2):
        if j - i in (1, len(sides) - 1):
            continue
        require(not _cross(one, two), "outline", f"side {i + 1} crosses side {j + 1}", OutlineError)
    return ring


def _side(a: LonLat, b: LonLat, c: LonLat) -> float:
    return (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])


def _cross(one: tuple[LonLat, LonLat], two: tuple[LonLat, LonLat]) -> bool:
    (a, b), (c, d) = one, two
    return _side(a, b, c) * _side(a, b, d) < 0 and _side(c, d, a) * _side(c, d, b) < 0


def area_ha(ring: Sequence[LonLat]) -> float:
    """Area a ring encloses on the WGS 84 ellipsoid.

    Parameters
    ----------
    ring : sequence of (longitude, latitude), shape (n, 2)
        Corners [degrees], either way round.

    Returns
    -------
    float
        Area [ha].

    Raises
    ------
    OutlineError
        If the ring is no outline or encloses less than 10 m².

    References
    ----------
    .. [1] Karney (2013), Algorithms for geodesics, J. Geodesy 87:43-55 (the geographiclib package).

    Examples
    --------
    >>> round(area_ha([(-3.0, 40.0), (-2.999, 40.0), (-2.999, 40.001), (-3.0, 40.001)]), 3)
    0.948
    """
    polygon = Geodesic.WGS84.Polygon()
    for lon, lat in checked_ring(ring):
        polygon.AddPoint(lat, lon)
    area = abs(float(polygon.Compute()[2])) / 1e4
    require(area >= SMALLEST_HA, "outline", "encloses less than 10 m²", OutlineError)
    return area


@dataclass(frozen=True)
class LocalFrame:
    """A flat frame about a point [degrees]; good to a few parts in 10 000 within some kilometres."""

    lon: float
    lat: float

    def metres(self, point: LonLat) -> Metres:
        """East and north of the frame's origin [m]."""
        a, f = 6378137.0, 1 / 298.257223563
        e2 = f * (2 - f)
        sine = math.sin(math.radians(self.lat))
        normal = a / math.sqrt(1 - e2 * sine**2)
        meridian = normal * (1 - e2) / (1 - e2 * sine**2)
        east = math.radians(point[0] - self.lon) * normal * math.cos(math.radians(self.lat))
        return east, math.radians(point[1] - self.lat) * meridian


def frame_of(ring: Sequence[LonLat]) -> LocalFrame:
    """Frame about the mean of the corners [degrees]."""
    return LocalFrame(sum(p[0] for p in ring) / len(ring), sum(p[1] for p in ring) / len(ring))


def edge_distance_m(ring: Sequence[LonLat], point: LonLat) -> float:
    """Distance from a point to the nearest side of a ring: positive inside, negative outside.

    Parameters
    ----------
    ring : sequence of (longitude, latitude)
        Corners [degrees].
    point : (longitude, latitude)
        [degrees].

    Returns
    -------
    float
        Distance [m], in a flat frame about the ring.
    """
    frame = frame_of(ring)
    corners = [frame.metres(p) for p in ring]
    here = frame.metres(point)
    nearest = min(_to_side(here, a, b) for a, b in pairwise([*corners, corners[0]]))
    return nearest if _inside(here, corners) else -nearest


def _to_side(p: Metres, a: Metres, b: Metres) -> float:
    dx, dy = b[0] - a[0], b[1] - a[1]
    length = dx * dx + dy * dy
    along = 0.0 if length == 0 else max(0.0, min(1.0, ((p[0] - a[0]) * dx + (p[1] - a[1]) * dy) / length))
    return math.hypot(p[0] - a[0] - along * dx, p[1] - a[1] - along * dy)


def _inside(p: Metres, corners: Sequence[Metres]) -> bool:
    inside = False
    for a, b in pairwise([*corners, corners[0]]):
        if (a[1] > p[1]) != (b[1] > p[1]) and p[0] < a[0] + (p[1] - a[1]) / (b[1] - a[1]) * (b[0] - a[0]):
            inside = not inside
    return inside


def area_caution(entered_ha: float, outline_ha: float, share: float) -> Notice | None:
    """Says when an entered area [ha] is further than a share [-] from that of the outline [ha]."""
    if abs(entered_ha - outline_ha) <= share * outline_ha:
        return None
    areas = {"entered_ha": entered_ha, "outline_ha": outline_ha}
    return Notice(
        "outline.area",
        **areas,
        off_fraction=abs(entered_ha / outline_ha - 1),
        more="more" if entered_ha > outline_ha else "less",
    )
