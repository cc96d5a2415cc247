"""A card as a scene of OpenUSD, with UsdGeom and UsdPreviewSurface: as text, and packed with its pictures."""

from collections.abc import Sequence
from fractions import Fraction
from pathlib import Path
from typing import Any

from upholster.media.card.pictures import AlphaMode
from upholster.media.errors import MediaError
from upholster.media.files import put_text

#: Coverage from which a card that is cut out is there.
CUT = 0.5


def write_usd(
    folder: Path, pictures: Sequence[Path], width: float, height: float, rate: Fraction, mode: AlphaMode
) -> None:
    """Write ``card.usda`` and ``card.usdz`` beside the pictures they show, one a time code.

    The card is `width` by `height` metres, stands on the ground and faces along Z. Its colour is given off as it was
    shot, not lit again; its opacity is the pictures' alpha.
    """
    # Imported late: few deliveries need it, and all commands would wait.
    from pxr import Sdf, Usd, UsdUtils

    text, packed = folder / "card.usda", folder / "card.usdz"
    stage = Usd.Stage.CreateInMemory()
    _fill(stage, pictures, width, height, rate, mode)
    put_text(text, stage.GetRootLayer().ExportToString())
    part = folder / "card.part.usdz"
    if not UsdUtils.CreateNewUsdzPackage(Sdf.AssetPath(str(text)), str(part)):
        raise MediaError("The card could not be packed as USDZ.")
    part.replace(packed)


def _fill(stage: Any, pictures: Sequence[Path], width: float, height: float, rate: Fraction, mode: AlphaMode) -> None:
    from pxr import Gf, Sdf, Usd, UsdGeom, UsdShade, Vt

    UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.y)
    UsdGeom.SetStageMetersPerUnit(stage, 1.0)
    stage.SetTimeCodesPerSecond(float(rate))
    stage.SetFramesPerSecond(float(rate))
    stage.SetStartTimeCode(0)
    stage.SetEndTimeCode(len(pictures) - 1)
    card = UsdGeom.Xform.Define(stage, "/Card")
    stage.SetDefaultPrim(card.GetPrim())
    Usd.ModelAPI(card).SetKind("component")

    plane = UsdGeom.Mesh.Define(stage, "/Card/Plane")
    corners = [(-width / 2, 0, 0), (width / 2, 0, 0), (width / 2, height, 0), (-width / 2, height, 0)]
    plane.CreatePointsAttr(Vt.Vec3fArray([Gf.Vec3f(*corner) for corner in corners]))
    plane.CreateFaceVertexCountsAttr([4])
    plane.CreateFaceVertexIndicesAttr([0, 1, 2, 3])
    plane.CreateNormalsAttr([Gf.Vec3f(0, 0, 1)] * 4)
    plane.SetNormalsInterpolation(UsdGeom.Tokens.vertex)
    plane.CreateExtentAttr([Gf.Vec3f(*corners[0]), Gf.Vec3f(*corners[2])])
    plane.CreateSubdivisionSchemeAttr(UsdGeom.Tokens.none)
    plane.CreateDoubleSidedAttr(True)
    places = UsdGeom.PrimvarsAPI(plane).CreatePrimvar("st", Sdf.ValueTypeNames.TexCoord2fArray, UsdGeom.Tokens.vertex)
    places.Set(Vt.Vec2fArray([Gf.Vec2f(0, 0), Gf.Vec2f(1, 0), Gf.Vec2f(1, 1), Gf.Vec2f(0, 1)]))

    material = UsdShade.Material.Define(stage, "/Card/Material")
    reader = UsdShade.Shader.Define(stage, "/Card/Material/Places")
    reader.CreateIdAttr("UsdPrimvarReader_float2")
    reader.CreateInput("varname", Sdf.ValueTypeNames.String).Set("st")
    reader.CreateOutput("result", Sdf.ValueTypeNames.Float2)
    texture = UsdShade.Shader.Define(stage, "/Card/Material/Pictures")
    texture.CreateIdAttr("UsdUVTexture")
    file = texture.CreateInput("file", Sdf.ValueTypeNames.Asset)
    file.Set(Sdf.AssetPath(f"./{pictures[0].name}"))
    for number, picture in enumerate(pictures) if len(pictures) > 1 else ():
        file.Set(Sdf.AssetPath(f"./{picture.name}"), number)
    texture.CreateInput("sourceColorSpace", Sdf.ValueTypeNames.Token).Set("sRGB")
    texture.CreateInput("wrapS", Sdf.ValueTypeNames.Token).Set("clamp")
    texture.CreateInput("wrapT", Sdf.ValueTypeNames.Token).Set("clamp")
    texture.CreateInput("st", Sdf.ValueTypeNames.Float2).ConnectToSource(reader.ConnectableAPI(), "result")
    texture.CreateOutput("rgb", Sdf.ValueTypeNames.Float3)
    texture.CreateOutput("a", Sdf.ValueTypeNames.Float)

    surface = UsdShade.Shader.Define(stage, "/Card/Material/Surface")
    surface.CreateIdAttr("UsdPreviewSurface")
    for name, kind, value in (
        ("diffuseColor", Sdf.ValueTypeNames.Color3f, Gf.Vec3f(0)),
        ("useSpecularWorkflow", Sdf.ValueTypeNames.Int, 1),
        ("specularColor", Sdf.ValueTypeNames.Color3f, Gf.Vec3f(0)),
        ("roughness", Sdf.ValueTypeNames.Float, 1.0),
        ("opacityThreshold", Sdf.ValueTypeNames.Float, CUT if mode == "MASK" else 0.0),
    ):
        surface.CreateInput(name, kind).Set(value)
    connect = surface.CreateInput("emissiveColor", Sdf.ValueTypeNames.Color3f).ConnectToSource
    connect(texture.ConnectableAPI(), "rgb")
    surface.CreateInput("opacity", Sdf.ValueTypeNames.Float).ConnectToSource(texture.ConnectableAPI(), "a")
    surface.CreateOutput("surface", Sdf.ValueTypeNames.Token)
    material.CreateSurfaceOutput().ConnectToSource(surface.ConnectableAPI(), "surface")
    UsdShade.MaterialBindingAPI.Apply(plane.GetPrim()).Bind(material)


def wrong_usd(folder: Path, pictures: Sequence[Path]) -> str:
    """What is wrong with the scenes as they are read back; empty where nothing is."""
    from pxr import Sdf, Usd, UsdShade

    for name in ("card.usda", "card.usdz"):
        try:
            stage = Usd.Stage.Open(str(folder / name))
        except Exception:
            return f"{name} cannot be read."
        file = UsdShade.Shader.Get(stage, Sdf.Path("/Card/Material/Pictures")).GetInput("file")
        for number, picture in enumerate(pictures):
            found = file.Get(number)
            if not found.resolvedPath or picture.name not in found.path:
                return f"{name} does not find {picture.name}."
    return ""
