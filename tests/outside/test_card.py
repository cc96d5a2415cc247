"""Cards for 3D, opened by libraries that had no part in writing them, and rendered by three.js."""

import json
import shutil
import zipfile
from collections.abc import Iterator
from pathlib import Path
from urllib.parse import urlsplit

import cv2
import numpy as np
import pygltflib
import pytest
import trimesh
from playwright.sync_api import Browser, Page, Route
from pxr import Usd, UsdGeom, UsdShade, UsdValidation

from canvases import AS_TEXT, of_text
from deliveries import deliver
from plates import SKIN, flat, shot
from upholster.core.delivery.extended import extended
from upholster.studio.footage.uploads import unpacked
from upholster.studio.making.assembling import pack

ALPHA = [shot(frame=n, soft=6)[1] for n in range(5)]
FRAMES = [(flat(SKIN), alpha) for alpha in ALPHA]
MAGENTA = (1.0, 0.0, 1.0)
THREE = Path(__file__).parents[2] / "node_modules/three"


@pytest.fixture(scope="module")
def card(tmp_path_factory: pytest.TempPathFactory) -> Path:
    made = deliver(FRAMES, tmp_path_factory.mktemp("card"), "card", rate=12, metres=1.6, still=3)
    assert made.proof.passed
    return made.files[0].parent


@pytest.mark.parametrize("name", ["card.usda", "card.usdz"])
def test_usd_passes_its_own_checker_and_says_what_it_shows_when(card: Path, name: str) -> None:
    """All validators of OpenUSD; UsdGeom and UsdPreviewSurface as their specifications have them."""
    stage = Usd.Stage.Open(str(card / name))
    validators = UsdValidation.ValidationRegistry().GetOrLoadAllValidators()
    assert len(validators) > 20
    assert [e.GetMessage() for e in UsdValidation.ValidationContext(validators).Validate(stage)] == []
    assert (stage.GetStartTimeCode(), stage.GetEndTimeCode(), stage.GetTimeCodesPerSecond()) == (0, 4, 12)
    assert UsdGeom.GetStageMetersPerUnit(stage) == 1 and UsdGeom.GetStageUpAxis(stage) == "Y"
    box = UsdGeom.BBoxCache(0, ["default"]).ComputeWorldBound(stage.GetDefaultPrim()).ComputeAlignedRange()
    assert tuple(box.GetMin()) == pytest.approx((-0.8, 0, 0)) and tuple(box.GetMax()) == pytest.approx((0.8, 0.9, 0))
    plane = UsdGeom.Mesh.Get(stage, "/Card/Plane")
    surface = UsdShade.MaterialBindingAPI(plane.GetPrim()).ComputeBoundMaterial()[0].ComputeSurfaceSource()[0]
    assert surface.GetIdAttr().Get() == "UsdPreviewSurface"
    texture = surface.GetInput("opacity").GetConnectedSource()[0].GetPrim()
    file = UsdShade.Shader(texture).GetInput("file")
    shown = [Path(file.Get(code).path).name for code in range(5)]
    assert shown == [f"{n:06d}.png" for n in range(5)] and all(file.Get(code).resolvedPath for code in range(5))


def test_usdz_is_a_zip_that_is_not_compressed_and_aligned(card: Path) -> None:
    """USDZ specification: stored, and the data of each file begins at a multiple of 64 bytes."""
    with zipfile.ZipFile(card / "card.usdz") as packed:
        members = packed.infolist()
        assert len([m for m in members if m.filename.endswith(".png")]) == 5
        raw = (card / "card.usdz").read_bytes()
        for member in members:
            assert member.compress_type == zipfile.ZIP_STORED
            at = member.header_offset
            name, extra = (
                int.from_bytes(raw[at + 26 : at + 28], "little"),
                int.from_bytes(raw[at + 28 : at + 30], "little"),
            )
            assert (at + 30 + name + extra) % 64 == 0


def test_glb_is_read_by_trimesh_and_holds_the_chosen_frame(card: Path) -> None:
    """ISO/IEC 12113:2022 (glTF 2.0), 3.9.4 for alpha; KHR_materials_unlit."""
    scene = trimesh.load(card / "card.glb", force="scene")
    (mesh,) = scene.geometry.values()
    assert mesh.extents == pytest.approx((1.6, 0.9, 0)) and mesh.bounds[0] == pytest.approx((-0.8, 0, 0))
    material = mesh.visual.material
    assert material.alphaMode == "BLEND" and material.doubleSided
    picture = np.asarray(material.baseColorTexture.convert("RGBA")).astype(int)
    assert np.abs(picture[..., 3] - np.rint(ALPHA[3] * 255)).max() <= 1
    document = pygltflib.GLTF2().load(str(card / "card.glb"))
    assert "KHR_materials_unlit" in document.materials[0].extensions
    assert document.scenes[0].extras["rate"] == "12" == json.loads((card / "card.json").read_text())["rate"]


#: Loads a card as any page would, and looks at it straight on, so that it fills the picture.
_PAGE = """<!doctype html><script type="importmap">{"imports": {"three": "/build/three.module.js"}}</script>
<script type="module">
import * as THREE from "three";
import { GLTFLoader } from "/examples/jsm/loaders/GLTFLoader.js";
window.shown = async (width, height) => {
    const renderer = new THREE.WebGLRenderer({ antialias: false, preserveDrawingBuffer: true });
    renderer.setPixelRatio(1);
    renderer.setSize(width, height);
    const scene = new THREE.Scene();
    scene.background = new THREE.Color(0xff00ff);
    const { scene: card } = await new GLTFLoader().loadAsync("/card.glb");
    const box = new THREE.Box3().setFromObject(card);
    scene.add(card);
    const camera = new THREE.OrthographicCamera(box.min.x, box.max.x, box.max.y, box.min.y, 0.1, 10);
    camera.position.z = 5;
    renderer.render(scene, camera);
    const flat = document.createElement("canvas");
    [flat.width, flat.height] = [width, height];
    const drawn = flat.getContext("2d");
    drawn.drawImage(renderer.domElement, 0, 0);
    return (AS_TEXT)(drawn);
};
window.ready = true;
</script>""".replace("AS_TEXT", AS_TEXT)


class Renderer:
    """three.js in Chromium, which had no part in making the card."""

    def __init__(self, page: Page) -> None:
        self.page = page

    def shows(self, path: Path, width: int, height: int) -> np.ndarray:
        """A card that fills the picture, over magenta, ``(h, w, 3)``."""

        def serve(route: Route) -> None:
            name = urlsplit(route.request.url).path
            if name == "/":
                route.fulfill(body=_PAGE, content_type="text/html")
            else:
                file = path if name == "/card.glb" else THREE / name.lstrip("/")
                kind = "text/javascript" if file.suffix == ".js" else "model/gltf-binary"
                route.fulfill(body=file.read_bytes(), content_type=kind)

        self.page.route("http://localhost/**", serve)
        self.page.goto("http://localhost/")
        self.page.wait_for_function("window.ready")
        pixels = self.page.evaluate("([w, h]) => window.shown(w, h)", [width, height])
        self.page.unroute("http://localhost/**")
        return of_text(pixels, width, height)[..., :3].astype(float)


@pytest.fixture(scope="module")
def renderer(browser: Browser) -> Iterator[Renderer]:
    page = browser.new_page()
    yield Renderer(page)
    page.close()


def _share(shown: np.ndarray) -> np.ndarray:
    """How much of the subject's colour is in each pixel over magenta, by projection."""
    way = np.array(SKIN) - MAGENTA
    return (shown / 255 - np.array(MAGENTA)) @ way / np.sum(way**2)


def _mixed(share: np.ndarray) -> np.ndarray:
    return (share[..., None] * (np.array(SKIN) - MAGENTA) + MAGENTA) * 255


def test_rendered_over_magenta_its_alpha_shows_and_there_is_no_rim(card: Path, renderer: Renderer) -> None:
    """Solid is the picture's colour, clear the ground's, and in between both are mixed by the alpha."""
    shown, alpha = renderer.shows(card / "card.glb", 320, 180), ALPHA[3]
    solid, clear = cv2.erode(alpha, np.ones((5, 5))) > 0.999, cv2.dilate(alpha, np.ones((5, 5))) < 0.001
    assert np.abs(shown[clear] - np.array(MAGENTA) * 255).max() <= 2
    assert np.abs(shown[solid] - np.array(SKIN) * 255).max() <= 4
    # Nothing dark, nothing of a screen: wherever both are seen, no colour is but a mix of both.
    assert np.abs(shown - _mixed(_share(shown))).max() <= 6
    assert 0.3 < _share(shown)[np.abs(alpha - 0.5) < 0.1].mean() < 0.7
    # From far away as well, where mipmaps are looked at.
    small = renderer.shows(card / "card.glb", 40, 22)
    assert np.abs(small - _mixed(_share(small))).max() <= 8


def test_a_hard_matte_is_cut_out_and_a_sheet_holds_every_frame(tmp_path: Path, renderer: Renderer) -> None:
    hard = [(flat(SKIN), (alpha > 0.5).astype(np.float32)) for alpha in ALPHA]
    folder = deliver(hard, tmp_path, "card", atlas=True).files[0].parent
    told = json.loads((folder / "card.json").read_text())
    assert told["alphaMode"] == "MASK" == pygltflib.GLTF2().load(str(folder / "card.glb")).materials[0].alphaMode
    sheet, pixels = told["atlas"], cv2.imread(str(folder / "sheet/atlas.png"), cv2.IMREAD_UNCHANGED)
    assert pixels.shape[:2] == (sheet["rows"] * sheet["height"], sheet["columns"] * sheet["width"])
    assert (sheet["width"], sheet["height"]) == (320, 180)
    for number, (_, alpha) in enumerate(hard):
        row, column = divmod(number, sheet["columns"])
        cell = pixels[row * 180 : row * 180 + 180, column * 320 : column * 320 + 320]
        assert np.abs(cell[..., 3] / 255 - alpha).max() <= 1 / 255
    shown = _share(renderer.shows(folder / "card.glb", 320, 180))
    assert np.mean(np.abs(shown - hard[0][1]) > 0.1) < 0.01
    stage = Usd.Stage.Open(str(folder / "card.usda"))
    assert UsdShade.Shader.Get(stage, "/Card/Material/Surface").GetInput("opacityThreshold").Get() == 0.5


def test_handed_over_it_is_one_zip_whose_scenes_find_their_pictures(tmp_path: Path) -> None:
    made = deliver(FRAMES[:2], tmp_path / "made", "card", atlas=True)
    pack(made.planned, made.files, "moth_v001", tmp_path / "moth_v001.zip")
    with zipfile.ZipFile(tmp_path / "moth_v001.zip") as packed:
        packed.extractall(tmp_path / "out")
    home = tmp_path / "out/moth_v001"
    assert sorted(p.name for p in home.iterdir()) == [
        "000000.png", "000001.png", "card.glb", "card.json", "card.usda", "card.usdz", "sheet",
    ]  # fmt: skip
    (tmp_path / "again").mkdir()
    shutil.copy(tmp_path / "moth_v001.zip", tmp_path / "again")
    assert [p.name for p in unpacked(tmp_path / "again")] == ["000000.png", "000001.png"]
    stage = Usd.Stage.Open(str(home / "card.usda"))
    file = UsdShade.Shader.Get(stage, "/Card/Material/Pictures").GetInput("file")
    assert Path(file.Get(1).resolvedPath) == home / "000001.png"


def test_colour_goes_on_under_clear_pixels() -> None:
    """By hand: a red and a blue half with a clear gap between keep their own, and the gap has colours between."""
    rgb, alpha = np.zeros((3, 8, 32), np.float32), np.zeros((8, 32), np.float32)
    rgb[0, :, :8], rgb[2, :, 24:] = 0.8, 0.6
    alpha[:, :8], alpha[:, 24:] = 1, 0.5
    out = extended(rgb, alpha)
    seen = alpha > 0
    assert np.array_equal(out[:, seen], rgb[:, seen])
    gap = out[:, 4, 8:24]
    assert gap[0, 0] > 0.5 and gap[2, -1] > 0.4 and (np.diff(gap[0]) <= 1e-6).all() and (np.diff(gap[2]) >= -1e-6).all()
    assert np.array_equal(extended(rgb, np.zeros_like(alpha)), rgb)
