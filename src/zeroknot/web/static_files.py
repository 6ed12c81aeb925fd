"""How do shipped files reach the browser? Under a path that names their state, kept for good.

`/static/v-…/js/main.js` is what `/static/js/main.js` is now; once anything changes, pages name
another path. What one module imports of another lies under the same path, so a page that is opened
again asks for none of them. Without the state in its path a file is always asked for again.
"""

import hashlib
import time
from functools import lru_cache
from pathlib import Path

from fastapi.responses import Response
from fastapi.staticfiles import StaticFiles
from starlette.types import Scope

FOLDER = Path(__file__).parent / "static"
PREFIX = "v-"
# Not imported by a view's page.
ELSEWHERE = {"js/palette.js", "js/types.js", "js/views/projects.js"}


def static_path() -> str:
    """Where shipped files lie, as they are now."""
    return f"/static/{PREFIX}{_state()}"


def modules() -> list[str]:
    """Scripts that a view's page imports, below that path: asked for at once, not one by one."""
    scripts = sorted((FOLDER / "js").rglob("*.js"))
    own = [str(s.relative_to(FOLDER)) for s in scripts if not s.name.endswith("-worker.js")]
    return [*(name for name in own if name not in ELSEWHERE), "vendor/alpine-csp.js"]


def _state() -> str:
    """Another where any file was added, changed or taken away; looked at once a second."""
    return _state_at(int(time.monotonic()))


@lru_cache(maxsize=1)
def _state_at(second: int) -> str:
    said = hashlib.blake2b(digest_size=8)
    for file in sorted(FOLDER.rglob("*")):
        about = file.stat()
        said.update(f"{file} {about.st_mtime_ns} {about.st_size}".encode())
    return said.hexdigest()


class ShippedFiles(StaticFiles):
    def __init__(self) -> None:
        super().__init__(directory=FOLDER)

    async def get_response(self, path: str, scope: Scope) -> Response:
        kept = "no-cache"
        if path.startswith(PREFIX):
            state, _, path = path.partition("/")
            if state == f"{PREFIX}{_state()}":
                kept = "public, max-age=31536000, immutable"
        response = await super().get_response(path, scope)
        response.headers["cache-control"] = kept
        return response
