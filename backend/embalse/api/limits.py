"""How often something may be tried; counted in this process."""

from flask import request
from flask_limiter import Limiter

limiter = Limiter(key_func=lambda: request.remote_addr or "", storage_uri="memory://", headers_enabled=True)
