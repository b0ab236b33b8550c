"""Xandikos for several users: it has no sign-in of its own, so that one is put before it.

Arguments: the port, the folder, and a file with one "user:password" a line.
"""

import base64
import sys

from aiohttp import web
from xandikos.web import XandikosApp, XandikosBackend

port, folder, users_file = int(sys.argv[1]), sys.argv[2], sys.argv[3]
users = dict(line.split(":", 1) for line in open(users_file).read().splitlines() if line)
backend = XandikosBackend(folder)
apps = {}


def app_of(user):
    """Made when somebody comes: a version control system for each of a hundred people would take a start many seconds."""
    if user not in apps:
        home = f"/{user}/"
        backend.create_principal(home, create_defaults=True)
        backend._mark_as_principal(home)
        apps[user] = XandikosApp(backend, home)
    return apps[user]


async def handle(request):
    scheme, _, given = request.headers.get("Authorization", "").partition(" ")
    user, _, password = (base64.b64decode(given).decode() if scheme == "Basic" else "").partition(":")
    if user not in users or users[user] != password:
        return web.Response(status=401, headers={"WWW-Authenticate": 'Basic realm="calendar"'})
    if request.path in ("/.well-known/caldav", "/.well-known/carddav"):
        return web.Response(status=302, headers={"Location": f"/{user}/"})
    if request.path != "/" and not request.path.startswith(f"/{user}/"):
        return web.Response(status=403)
    return await app_of(user).aiohttp_handler(request, "/")


app = web.Application(client_max_size=64 * 1024 * 1024)
app.router.add_route("*", "/{path_info:.*}", handle)
web.run_app(app, host="127.0.0.1", port=port, print=None)
