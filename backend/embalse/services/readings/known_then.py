"""Answers about a moment from what was known at that moment alone."""

import inspect
from collections.abc import Callable
from functools import wraps
from typing import ParamSpec, TypeVar

from embalse.services.load import clock
from embalse.services.readings.rollups import update_rollups
from embalse.store import known_then

Given = ParamSpec("Given")
Answer = TypeVar("Answer")


def as_known_then(make: Callable[Given, Answer]) -> Callable[Given, Answer]:
    """An answer about its ``moment`` (farm-local text, now if absent) from what was known at that moment alone."""
    signature = inspect.signature(make)

    @wraps(make)
    def made(*args: Given.args, **kwargs: Given.kwargs) -> Answer:
        moment = signature.bind(*args, **kwargs).arguments.get("moment")
        if not moment:
            return make(*args, **kwargs)
        farm = clock.the_farm()
        at = clock.as_of(farm, moment)
        with known_then.as_known(at) as anew:
            for sensor_id, start, end in anew:
                update_rollups(sensor_id, start, end, farm.time_zone)
            return make(*args, **kwargs)

    return made
