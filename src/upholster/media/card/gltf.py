"""A card as binary glTF 2.0 (ISO/IEC 12113:2022): a plane, `KHR_materials_unlit`, and a picture or a sheet of them."""

import struct
from pathlib import Path
from typing import Any

from upholster.media.card.pictures import AlphaMode, Sheet
from upholster.media.card.usd import CUT
from upholster.media.files import put_bytes

#: Corners of the plane in halves of its width and in its height, and where the picture lies on them; v runs down.
_CORNERS = ((-0.5, 0.0), (0.5, 0.0), (0.5, 1.0), (-0.5, 1.0))
_PLACES = ((0.0, 1.0), (1.0, 1.0), (1.0, 0.0), (0.0, 0.0))
_CLAMP, _LINEAR, _MIPMAPPED = 33071, 9729, 9987
_FLOAT, _SHORT = 5126, 5123
_VERTICES, _INDICES = 34962, 34963


def write_gltf(
    path: Path, picture: Path, width: float, height: float, mode: AlphaMode, sheet: Sheet | None, told: dict[str, Any]
) -> None:
    """Write a card of `width` by `height` metres that stands on the ground and faces along Z.

    Of a sheet it shows the first picture; `told` goes along as the extras of the scene.
    """
    # Imported late: few deliveries need it, and all commands would wait.
    import pygltflib as gl

    across, down = (1 / sheet.columns, 1 / sheet.rows) if sheet else (1.0, 1.0)
    points = b"".join(struct.pack("<3f", x * width, y * height, 0.0) for x, y in _CORNERS)
    normals = struct.pack("<3f", 0.0, 0.0, 1.0) * 4
    places = b"".join(struct.pack("<2f", u * across, v * down) for u, v in _PLACES)
    indices = struct.pack("<6H", 0, 1, 2, 0, 2, 3)
    parts = [(points, _VERTICES), (normals, _VERTICES), (places, _VERTICES), (indices, _INDICES)]
    blob, views = b"", []
    for data, target in [*parts, (picture.read_bytes(), None)]:
        blob += b"\0" * (-len(blob) % 4)
        views.append(gl.BufferView(buffer=0, byteOffset=len(blob), byteLength=len(data), target=target))
        blob += data
    least, most = [-width / 2, 0, 0], [width / 2, height, 0]
    accessors = [
        gl.Accessor(bufferView=0, componentType=_FLOAT, count=4, type="VEC3", min=least, max=most),
        gl.Accessor(bufferView=1, componentType=_FLOAT, count=4, type="VEC3"),
        gl.Accessor(bufferView=2, componentType=_FLOAT, count=4, type="VEC2"),
        gl.Accessor(bufferView=3, componentType=_SHORT, count=6, type="SCALAR"),
    ]  # fmt: skip
    material = gl.Material(
        name="Card",
        pbrMetallicRoughness=gl.PbrMetallicRoughness(
            baseColorTexture=gl.TextureInfo(index=0), metallicFactor=0.0, roughnessFactor=1.0
        ),
        alphaMode=mode,
        alphaCutoff=CUT if mode == "MASK" else None,
        doubleSided=True,
        extensions={"KHR_materials_unlit": {}},
    )
    attributes = gl.Attributes(POSITION=0, NORMAL=1, TEXCOORD_0=2)
    document = gl.GLTF2(
        asset=gl.Asset(version="2.0", generator="Upholster"),
        scene=0,
        scenes=[gl.Scene(name="Card", nodes=[0], extras=told)],
        nodes=[gl.Node(name="Card", mesh=0)],
        meshes=[gl.Mesh(name="Plane", primitives=[gl.Primitive(attributes=attributes, indices=3, material=0)])],
        materials=[material],
        textures=[gl.Texture(sampler=0, source=0)],
        samplers=[gl.Sampler(magFilter=_LINEAR, minFilter=_MIPMAPPED, wrapS=_CLAMP, wrapT=_CLAMP)],
        images=[gl.Image(bufferView=4, mimeType="image/png")],
        buffers=[gl.Buffer(byteLength=len(blob))],
        bufferViews=views,
        accessors=accessors,
        extensionsUsed=["KHR_materials_unlit"],
    )
    document.set_binary_blob(blob)
    put_bytes(path, b"".join(document.save_to_bytes()))


def wrong_gltf(path: Path, picture: Path) -> str:
    """What is wrong with the file as it is read back; empty where nothing is."""
    import pygltflib as gl

    try:
        document = gl.GLTF2().load(str(path))
        view = document.bufferViews[document.images[0].bufferView]
        held = document.binary_blob()[view.byteOffset : view.byteOffset + view.byteLength]
    except Exception:
        return f"{path.name} cannot be read."
    return "" if held == picture.read_bytes() else f"{path.name} does not hold {picture.name}."
