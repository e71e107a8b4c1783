"""Are the migrations complete, the OpenAPI file and the generated types current? With --write, make them so."""

from __future__ import annotations

import importlib
import json
import os
import subprocess
import sys
import tempfile
from pathlib import Path

from paths import REPOSITORY, WEB

SERVER = REPOSITORY / "server"
OPENAPI = SERVER / "openapi.json"
TYPES = WEB / "src" / "api" / "schema.d.ts"


def main() -> int:
    """Check, or write."""
    sys.path.insert(0, str(SERVER))
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "config.settings")
    os.environ.setdefault("RENNBAHN_SECRET_KEY", "for-checks-only")
    # Only now can Django be imported: it reads its settings as it goes.
    importlib.import_module("django").setup()
    call_command = importlib.import_module("django.core.management").call_command
    api = importlib.import_module("config.api").api
    schema = json.dumps(api.get_openapi_schema(), indent=1, sort_keys=True) + "\n"
    if "--write" in sys.argv:
        OPENAPI.write_text(schema)
        types(OPENAPI, TYPES)
        return 0
    call_command("makemigrations", check=True, dry_run=True, verbosity=0)
    with tempfile.TemporaryDirectory() as place:
        made = Path(place) / "schema.d.ts"
        types(OPENAPI, made)
        current = {"openapi.json": OPENAPI.read_text() == schema, "schema.d.ts": made.read_text() == TYPES.read_text()}
    stale = [name for name, same in current.items() if not same]
    if stale:
        print(f"rennbahn: {', '.join(stale)} is not current: run `make api` and commit.", file=sys.stderr)
    return 1 if stale else 0


def types(openapi: Path, to: Path) -> None:
    """Generate the TypeScript types."""
    subprocess.run(
        [WEB / "node_modules" / ".bin" / "openapi-typescript", openapi, "-o", to], check=True, capture_output=True
    )


if __name__ == "__main__":
    sys.exit(main())
