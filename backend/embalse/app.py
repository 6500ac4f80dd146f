"""The Flask application."""

import secrets
from wsgiref.headers import Headers

from flask import Response, abort, current_app, jsonify, request, send_from_directory
from flask_openapi3 import Info, OpenAPI
from werkzeug.middleware.proxy_fix import ProxyFix
from whitenoise import WhiteNoise

from embalse import __version__
from embalse.api.advice import advice_api
from embalse.api.auditing import auditing_api
from embalse.api.deciding import deciding_api
from embalse.api.demo import demo_api
from embalse.api.errors import handle, invalid_response
from embalse.api.farm import farm_api
from embalse.api.handheld import handheld_api
from embalse.api.imports import imports_api
from embalse.api.limits import limiter
from embalse.api.messages import messages_api
from embalse.api.open_data import open_api
from embalse.api.people import people_api
from embalse.api.planning import planning_api
from embalse.api.practice import practice_api
from embalse.api.schemas import ErrorOut
from embalse.api.seasons import seasons_api
from embalse.api.setup import setup_api
from embalse.api.signing import guard, set_up_sessions
from embalse.api.soil_water import soil_water_api
from embalse.api.spatial import spatial_api
from embalse.api.stations import stations_api
from embalse.api.telemetry import telemetry_api
from embalse.api.trust import trust_api
from embalse.api.watching import watch, watching_api
from embalse.config import Settings, settings_from
from embalse.store.changes import ITSELF, act_as
from embalse.store.database import database

LARGEST_UPLOAD = 1024**3
POLICY = "default-src 'self'; object-src 'none'; base-uri 'none'; frame-ancestors 'none'; form-action 'self'"
SAFE_HEADERS = {
    "Content-Security-Policy": POLICY,
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "no-referrer",
    "Cross-Origin-Opener-Policy": "same-origin",
}


def create_app(settings: Settings | None = None, first_code: str = "") -> OpenAPI:
    """The application: API under /api, the built front end for everything else.

    ``first_code`` lets the farm's first owner be made; without one it is made up, and nobody knows it.
    """
    chosen = settings or settings_from()
    app = OpenAPI(
        "embalse",
        info=Info(title="Embalse", version=__version__),
        security_schemes={},
        doc_ui=False,
        validation_error_model=ErrorOut,
        validation_error_callback=invalid_response,
        static_folder=None,
    )
    app.config["EMBALSE"] = chosen
    app.config["MAX_CONTENT_LENGTH"] = LARGEST_UPLOAD
    app.config["EMBALSE_FIRST_CODE"] = first_code or secrets.token_urlsafe(24)
    app.config["TRUSTED_HOSTS"] = chosen.trusted_hosts

    def file_headers(headers: Headers, path: str, url: str) -> None:
        for name, value in _safe(chosen.behind_tls).items():
            headers[name] = value

    app.wsgi_app = WhiteNoise(  # type: ignore[method-assign]
        app.wsgi_app, chosen.front_end, max_age=0, immutable_file_test=_lasting, add_headers_function=file_headers
    )
    if chosen.behind_tls:
        app.wsgi_app = ProxyFix(app.wsgi_app, x_for=1, x_proto=1, x_host=1)  # type: ignore[method-assign]
    set_up_sessions(app, chosen)
    app.register_error_handler(Exception, handle)
    for blueprint in (
        farm_api,
        advice_api,
        imports_api,
        setup_api,
        stations_api,
        trust_api,
        telemetry_api,
        handheld_api,
        people_api,
        soil_water_api,
        deciding_api,
        planning_api,
        auditing_api,
        practice_api,
        seasons_api,
        spatial_api,
        open_api,
        messages_api,
        watching_api,
        demo_api,
    ):
        app.register_api(blueprint)
    limiter.init_app(app)
    app.add_url_rule("/openapi.json", "openapi_json", lambda: jsonify(app.api_doc))
    app.add_url_rule("/", "page", _page, defaults={"name": ""})
    app.add_url_rule("/<path:name>", "page", _page)
    watch(app)
    app.before_request(_connect)
    app.before_request(guard)
    app.teardown_request(_disconnect)
    app.after_request(_headers)
    return app


def _connect() -> None:
    if request.method != "GET" and request.headers.get("Sec-Fetch-Site") in ("cross-site", "same-site"):
        abort(403, "another site may not write here")
    if request.path.startswith("/api/"):
        database.connect(reuse_if_open=True)


def _disconnect(_: BaseException | None) -> None:
    act_as(ITSELF)
    if not database.is_closed():
        database.close()


def _page(name: str) -> Response:
    """The application's page for any address that is no file of the built front end."""
    from embalse.api.answers import settings

    if name.startswith("api/"):
        abort(404, "there is nothing at this address")
    response = send_from_directory(settings().front_end, "index.html")
    response.headers["Cache-Control"] = "no-cache"
    return response


def _lasting(_: str, url: str) -> bool:
    """Whether a file keeps its content for good: its name holds a hash of it."""
    return url.startswith("/assets/")


def _safe(behind_tls: bool) -> dict[str, str]:
    return {**SAFE_HEADERS, "Strict-Transport-Security": "max-age=31536000"} if behind_tls else SAFE_HEADERS


def _headers(response: Response) -> Response:
    response.headers.update(_safe(current_app.config["EMBALSE"].behind_tls))
    if request.path.startswith("/api/"):
        response.headers.setdefault("Cache-Control", "no-store")
    return response
