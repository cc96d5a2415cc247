"""The JSON beside every finished file: what it is, what it was made from, and its proof."""

import hashlib
import json
from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import Any, NamedTuple

from upholster import __version__
from upholster.core.documents.fitting import Fitting
from upholster.core.documents.recipe import Recipe
from upholster.media.delivery import Plan
from upholster.media.facts import Facts
from upholster.media.files import put_text
from upholster.media.proof import Proof


def sha256_of(files: Iterable[Path]) -> str:
    """Digest of the bytes of all `files` in order."""
    digest = hashlib.sha256()
    for path in files:
        with path.open("rb") as file:
            while block := file.read(1 << 20):
                digest.update(block)
    return digest.hexdigest()


class Source(NamedTuple):
    """What a delivery was made from."""

    name: str
    sha256: str
    facts: Facts


def write_sidecar(
    path: Path, *, recipe: Recipe, source: Source, planned: Plan, proof: Proof, revision: int | None = None
) -> None:
    made_from = {
        "source": {
            "name": source.name,
            "sha256": source.sha256,
            **source.facts.model_dump(mode="json", include={"rate", "length", "first_number", "timecode"}),
        },
        "revision": revision,
        "recipe": recipe.model_dump(mode="json"),
    }
    _write(path, planned, proof, made_from)


def write_fitting_sidecar(
    path: Path, *, fitting: Fitting, planned: Plan, proof: Proof, revision: int | None = None
) -> None:
    _write(path, planned, proof, {"revision": revision, "fitting": fitting.model_dump(mode="json")})


def write_clip_sidecar(path: Path, *, clip: str, before: Path, planned: Plan, proof: Proof) -> None:
    """The sidecar of a file made from a clip's: it has what the clip's own sidecar `before` says of its making."""
    told = json.loads(before.read_text())
    kept = {name: told[name] for name in ("source", "revision", "recipe", "fitting", "brought_in") if name in told}
    _write(path, planned, proof, {"clip": clip, **kept})


def write_brought_in_sidecar(path: Path, *, name: str, source: Source, inspection: dict[str, Any]) -> None:
    """The sidecar of a clip that was made elsewhere: what it is called, and what was found in it."""
    told = {"name": name, "sha256": source.sha256, "facts": source.facts.model_dump(mode="json"), "found": inspection}
    put_text(path, json.dumps({"program": f"upholster {__version__}", "brought_in": told}, indent=2) + "\n")


def alpha_beside(files: Sequence[Path]) -> str | None:
    """The kind of alpha that a sidecar of ours beside some files says they have; None where there is none."""
    sidecar = files[0].with_name(f"{files[0].name}.json") if len(files) == 1 else files[0].with_name("clip.json")
    try:
        told = json.loads(sidecar.read_text())
    except (OSError, UnicodeDecodeError, ValueError):
        return None
    found = told.get("alpha") if isinstance(told, dict) and "proof" in told else None
    return found if found in ("straight", "premultiplied") else None


def _write(path: Path, planned: Plan, proof: Proof, made_from: dict[str, Any]) -> None:
    delivery = planned.delivery
    document = {
        "program": f"upholster {__version__}",
        "format": delivery.format,
        "alpha": delivery.alpha if delivery.form.alpha_depth else "none",
        "delivery": delivery.model_dump(mode="json"),
        "colour": proof.colour.model_dump(),
        "rate": str(planned.timing.rate),
        "timecode": planned.timecode,
        **made_from,
        "proof": proof.model_dump(mode="json"),
    }
    put_text(path, json.dumps(document, indent=2) + "\n")
