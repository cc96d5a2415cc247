"""The demo's plates, as they come with the program; `make` draws them anew."""

from pathlib import Path

_FOLDER = Path(__file__).parent / "plates"


def plates() -> list[Path]:
    """Files of the demo, the one to begin with first."""
    first = _FOLDER / "marionette.mp4"
    return [first, *sorted(p for p in _FOLDER.iterdir() if p.suffix in (".mp4", ".png", ".flac") and p != first)]
