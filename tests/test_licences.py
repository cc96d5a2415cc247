"""Everything that ships or is installed may be used in a product, and the list of it is current."""

import json
import runpy
from pathlib import Path

import pytest

ROOT = Path(__file__).parent.parent
LIST = runpy.run_path(str(ROOT / "docs" / "make_licences.py"))


def refused(licence: str) -> bool:
    return any(word in licence.lower() for word in LIST["REFUSED"])


def test_the_list_is_current() -> None:
    assert (ROOT / "docs" / "licences.md").read_text() == LIST["page"]()


def test_no_licence_forbids_use_in_a_product() -> None:
    known = LIST["licences"]()
    for name in LIST["pinned"]("requirements-dev.lock"):
        licence = known.get(name.replace(".", "-"), "unknown")
        assert not refused(licence), f"{name}: {licence}"
    for name, licence, _ in LIST["SHIPPED"] + LIST["SCRIPTS"] + LIST["DEBIAN"]:
        assert not refused(licence), f"{name}: {licence}"


def test_every_package_the_shipped_files_come_from_is_listed() -> None:
    given = json.loads((ROOT / "package.json").read_text())["devDependencies"]
    assert {name for name, _, _ in LIST["SHIPPED"] + LIST["SCRIPTS"]} == set(given)


@pytest.mark.parametrize("licence", ["AGPL-3.0-only", "CC-BY-NC-4.0", "SSPL-1.0", "UNKNOWN", "MIT with Commons Clause"])
def test_licences_that_bind_are_refused(licence: str) -> None:
    assert refused(licence) and not refused("MIT") and not refused("LGPL-3.0-only")
