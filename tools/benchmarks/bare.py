"""The bare baseline: Starlette, Jinja and one query or one insert, the same stack with nothing of Keeve in it."""

import os

from jinja2 import DictLoader, Environment
from sqlalchemy import create_engine, text
from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import Response
from starlette.routing import Route
from starlette.templating import Jinja2Templates

_PAGE = """<!doctype html><html lang="en"><head><title>Bare</title></head><body><h1>Loads</h1><table>
{% for row in rows %}<tr><td>{{ row.begun_at }}</td><td>{{ row.number }}</td><td>{{ row.id }}</td></tr>{% endfor %}
</table></body></html>"""

_templates = Jinja2Templates(env=Environment(loader=DictLoader({"page.html": _PAGE}), autoescape=True))
_engine = create_engine(os.environ["DATABASE_URL"], pool_pre_ping=True)
_CREW = text("select set_config('keeve.crew', :crew, true)")
_QUERY = text(
    "select id, number, begun_at from load where crew_id = :crew order by begun_at desc, id desc limit 25"
)


def _show(request: Request) -> Response:
    with _engine.begin() as connection:
        # As every transaction of ours says whose rows it is for.
        connection.execute(_CREW, {"crew": request.query_params["crew"]})
        rows = connection.execute(_QUERY, {"crew": request.query_params["crew"]}).all()
    return _templates.TemplateResponse(request, "page.html", {"rows": rows})


def _add(request: Request) -> Response:
    """One durable insert, and the page."""
    with _engine.begin() as connection:
        connection.execute(
            text("create table if not exists bare_event (id serial primary key, content json)")
        )
        connection.execute(text("insert into bare_event (content) values ('{}')"))
    return _show(request)


app = Starlette(routes=[Route("/", _show), Route("/", _add, methods=["POST"])])
