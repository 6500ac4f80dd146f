"""The id of the request that is answered now, for every log line written meanwhile."""

from contextvars import ContextVar

request_id: ContextVar[str] = ContextVar("request_id", default="")
