"""Writes docs/licences.md: what ships with Upholster, and what it is installed with; --check tells if it is current."""

import json
import subprocess
import sys
from pathlib import Path

HERE = Path(__file__).parent
ROOT = HERE.parent

#: Where a package's own metadata are silent: what its licence file says.
STATED = {"openexr": "BSD-3-Clause"}
#: Shipped files that come from other hands, with their licences in `web/static/vendor/LICENSES.txt`.
SHIPPED = [
    ("htmx.org", "0BSD", "script library"),
    ("idiomorph", "0BSD", "script library: swaps only what changed"),
    ("lucide-static", "ISC", "icons"),
    ("@fontsource-variable/atkinson-hyperlegible-next", "OFL-1.1", "typeface"),
    ("@fontsource-variable/source-sans-3", "OFL-1.1", "figures"),
]
#: Script packages of tests and styles alone; nothing of them ships.
SCRIPTS = [
    ("axe-core", "MPL-2.0", "tests alone"),
    ("three", "MIT", "tests alone, as an independent renderer"),
    ("tailwindcss", "MIT", "styles alone"),
    ("@tailwindcss/cli", "MIT", "styles alone"),
]
#: Programs installed from Debian's packages and run beside Upholster.
DEBIAN = [
    ("postgresql", "PostgreSQL", "the database"),
    ("chromium", "BSD-3-Clause and others", "tests alone"),
    ("ffmpeg", "GPL-2.0-or-later", "tests alone, as an independent reader"),
    ("nodejs", "MIT", "tests and styles alone"),
]
#: Words of licences that forbid use in a product, or bind whoever offers it over a network.
REFUSED = (
    "agpl", "affero", "sspl", "server side", "commons clause", "noncommercial", "non-commercial", "cc-by-nc", "bsl",
    "business source", "elastic", "proprietary", "unknown",
)  # fmt: skip


HEAD = """What ships with Upholster, and what it is installed with. Made by `docs/make_licences.py`; a test refuses a
licence that forbids use in a product. PyAV's wheels bring FFmpeg's libraries, which are built with x264: whoever hands
those wheels on does so under the GPL, version 2 or later. psycopg is used unchanged, as a library, under the LGPL."""


def pinned(lock: str) -> list[str]:
    """Names of the packages a lock file pins."""
    lines = (ROOT / lock).read_text().splitlines()
    return sorted(line.partition("==")[0].strip().lower() for line in lines if "==" in line)


def licences() -> dict[str, str]:
    """Licences of the installed packages by name."""
    asked = [str(Path(sys.executable).with_name("pip-licenses")), "--from=mixed", "--format=json", "--with-system"]
    found = json.loads(subprocess.run(asked, check=True, capture_output=True, text=True).stdout)
    told = {entry["Name"].lower().replace("_", "-").replace(".", "-"): entry["License"] for entry in found}
    return told | STATED


def page() -> str:
    known, running = licences(), pinned("requirements.lock")
    testing = [name for name in pinned("requirements-dev.lock") if name not in running]
    parts = [
        "# Licences",
        "",
        HEAD,
        "",
        "## Shipped files",
        "",
        "| package | licence | |",
        "| --- | --- | --- |",
        *(f"| {name} | {licence} | {what} |" for name, licence, what in SHIPPED),
        "",
        "## Python packages it runs with",
        "",
        *_table(running, known),
        "",
        "## Python packages for testing",
        "",
        *_table(testing, known),
        "",
        "## Script packages for testing and styles",
        "",
        "| package | licence | for |",
        "| --- | --- | --- |",
        *(f"| {name} | {licence} | {what} |" for name, licence, what in SCRIPTS),
        "",
        "## Debian's packages",
        "",
        "| package | licence | for |",
        "| --- | --- | --- |",
        *(f"| {name} | {licence} | {what} |" for name, licence, what in DEBIAN),
        "",
    ]
    return "\n".join(parts)


def _table(names: list[str], known: dict[str, str]) -> list[str]:
    rows = [f"| {name} | {known.get(name.replace('.', '-'), 'UNKNOWN')} |" for name in names]
    return ["| package | licence |", "| --- | --- |", *rows]


if __name__ == "__main__":
    if "--check" not in sys.argv:
        (HERE / "licences.md").write_text(page())
    elif (HERE / "licences.md").read_text() != page():
        sys.exit("docs/licences.md is out of date: run docs/make_licences.py.")
