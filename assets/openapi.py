"""Prints the server's own description of what it takes and answers (OpenAPI)."""

import json
import tempfile
from pathlib import Path

from zeroknot.settings import Settings
from zeroknot.web.app import make_app

if __name__ == "__main__":
    print(json.dumps(make_app(Settings(data=Path(tempfile.gettempdir()))).openapi()))
