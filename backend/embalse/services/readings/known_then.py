"""Answers about a moment from what was known at that moment alone."""

import inspect
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import wraps
from typing import ParamSpec, TypeVar

from embalse.services.load import clock
from embalse.services.readings.rollups import update_rollups
from embalse.store import known_then

Given = ParamSpec("Given")
Answer = TypeVar("Answer")


@contextmanager
def known_at(at: int, time_zone: str) -> Iterator[None]:
    """Everything read inside is as it was known at an instant [s, UTC], rollups of readings too."""
    with known_then.as_known(at) as anew:
        for sensor_id, start, end in anew:
            update_rollups(sensor_id, start, end, time_zone)
        yield


def as_known_then(make: Callable[Given, Answer]) -> Callable[Given, Answer]:
    """An answer about its ``moment`` (farm-local text, now if absent) from what was known at that moment alone."""
    signature = inspect.signature(make)

    @wraps(make)
    def made(*args: Given.args, **kwargs: Given.kwargs) -> Answer:
        moment = signature.bind(*args, **kwargs).arguments.get("moment")
        if not moment:
            return make(*args, **kwargs)
        farm = clock.the_farm()
        with known_at(clock.as_of(farm, moment), farm.time_zone):
            return make(*args, **kwargs)

    return made
