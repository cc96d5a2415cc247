"""The JSON beside every finished file: what it is, what it was made from, and its proof."""

import hashlib
import json
from collections.abc import Iterable
from pathlib import Path

from upholster import __version__
from upholster.core.documents.recipe import Recipe
from upholster.media.delivery import Delivery
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


def write_sidecar(
    path: Path,
    *,
    recipe: Recipe,
    source_sha256: str,
    delivery: Delivery,
    proof: Proof,
    revision: int | None = None,
) -> None:
    document = {
        "program": f"upholster {__version__}",
        "format": delivery.format,
        "alpha": delivery.alpha if delivery.form.alpha_depth else "none",
        "delivery": delivery.model_dump(mode="json"),
        "colour": proof.colour.model_dump(),
        "source_sha256": source_sha256,
        "revision": revision,
        "recipe": recipe.model_dump(mode="json"),
        "proof": proof.model_dump(mode="json"),
    }
    put_text(path, json.dumps(document, indent=2) + "\n")
