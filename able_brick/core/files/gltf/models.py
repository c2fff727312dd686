"""What is read of the objects of a glTF file (Khronos: glTF 2.0 Specification, 5), and within which limits.

An index that is not given is `NONE`. Numbers that point into lists are checked where those are known, in `document`.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, ClassVar, Final, Literal, TypeVar

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field, Strict, ValidationError
from pydantic.alias_generators import to_camel

from able_brick.core.errors import FileError
from able_brick.core.text import clean_name

#: An index that is not given.
NONE: Final = -1
Index = Annotated[int, Field(ge=0, lt=2**31)]
Count = Annotated[int, Field(ge=1, le=60_000_000)]
Bytes = Annotated[int, Field(ge=0, le=2**40)]
Number = Annotated[float, Field(ge=-1e12, le=1e12)]
Share = Annotated[float, Field(ge=0, le=1)]
# lists of JSON as tuples: what they hold is as strict as all else
Two = Annotated[tuple[Number, ...], Field(min_length=2, max_length=2), Strict(False)]
Three = Annotated[tuple[Number, ...], Field(min_length=3, max_length=3), Strict(False)]
Four = Annotated[tuple[Number, ...], Field(min_length=4, max_length=4), Strict(False)]
Matrix = Annotated[tuple[Number, ...], Field(min_length=16, max_length=16), Strict(False)]
Indices = Annotated[tuple[Index, ...], Strict(False)]
#: Only what is said with the right word counts.
Flag = Annotated[bool, BeforeValidator(lambda v: v is True)]
#: A name that is no text, or has no letters, is none.
Name = Annotated[str, BeforeValidator(lambda v: clean_name(v) if isinstance(v, str) else "")]
AccessorType = Literal["SCALAR", "VEC2", "VEC3", "VEC4", "MAT2", "MAT3", "MAT4"]
ComponentType = Literal[5120, 5121, 5122, 5123, 5125, 5126]


class Object(BaseModel):
    """An object of the file; what is not read of it may be anything."""

    model_config = ConfigDict(
        strict=True,
        frozen=True,
        extra="ignore",
        allow_inf_nan=False,
        alias_generator=to_camel,
        defer_build=True,
    )


class Listed(Object):
    """An object that stands in a list of the document and is named by its index."""

    LIST: ClassVar[str]


class Root(Object):
    """The document; the objects in its lists are looked at one by one."""

    accessors: list[Any] = Field(default_factory=list)
    buffers: list[Any] = Field(default_factory=list)
    buffer_views: list[Any] = Field(default_factory=list)
    extensions_required: list[Any] = Field(default_factory=list)
    images: list[Any] = Field(default_factory=list)
    materials: list[Any] = Field(default_factory=list)
    meshes: list[Any] = Field(default_factory=list)
    nodes: list[Any] = Field(default_factory=list)
    scene: Index = 0
    scenes: list[Any] = Field(default_factory=list)
    textures: list[Any] = Field(default_factory=list)


class Buffer(Listed):
    LIST = "buffers"

    uri: str | None = None
    byte_length: Annotated[int, Field(ge=1, le=2**40)] | None = None


class BufferView(Listed):
    LIST = "bufferViews"

    buffer: Index
    byte_offset: Bytes = 0
    byte_length: Annotated[int, Field(ge=1, le=2**40)]
    byte_stride: Annotated[int, Field(ge=0, le=252)] = 0


class SparseIndices(Object):
    buffer_view: Index
    byte_offset: Bytes = 0
    component_type: Literal[5121, 5123, 5125]


class SparseValues(Object):
    buffer_view: Index
    byte_offset: Bytes = 0


class Sparse(Object):
    count: Count
    indices: SparseIndices
    values: SparseValues


class Accessor(Listed):
    LIST = "accessors"

    type: AccessorType
    component_type: ComponentType
    count: Count
    buffer_view: Index = NONE
    byte_offset: Bytes = 0
    normalized: Flag = False
    sparse: Sparse | None = None


class TextureTransform(Object):
    """KHR_texture_transform."""

    offset: Two = (0.0, 0.0)
    rotation: Annotated[float, Field(ge=-1e6, le=1e6)] = 0.0
    scale: Two = (1.0, 1.0)
    tex_coord: Any = None


class TextureInfoExtensions(Object):
    transform: TextureTransform = Field(TextureTransform(), alias="KHR_texture_transform")


class TextureInfo(Object):
    index: Index
    tex_coord: Any = 0
    extensions: TextureInfoExtensions = TextureInfoExtensions()


class WebpTexture(Object):
    source: Index = NONE


class TextureExtensions(Object):
    webp: WebpTexture = Field(WebpTexture(), alias="EXT_texture_webp")


class Texture(Listed):
    LIST = "textures"

    source: Index = NONE
    extensions: TextureExtensions = TextureExtensions()


class Image(Listed):
    LIST = "images"

    name: Name = ""
    uri: str | None = None
    buffer_view: Index = NONE


class MetallicRoughness(Object):
    base_color_factor: Four = (1.0, 1.0, 1.0, 1.0)
    base_color_texture: TextureInfo | None = None
    metallic_factor: Share = 1.0
    roughness_factor: Share = 1.0


class Material(Listed):
    LIST = "materials"

    name: Name = ""
    pbr_metallic_roughness: MetallicRoughness = MetallicRoughness()
    alpha_mode: Literal["OPAQUE", "MASK", "BLEND"] = "OPAQUE"
    alpha_cutoff: Annotated[float, Field(ge=0, le=1e6)] = 0.5
    double_sided: Flag = False


class Attributes(Object):
    position: Index = Field(NONE, alias="POSITION")
    normal: Index = Field(NONE, alias="NORMAL")
    uv: Index = Field(NONE, alias="TEXCOORD_0")
    colour: Index = Field(NONE, alias="COLOR_0")


class Primitive(Object):
    attributes: Attributes
    indices: Index = NONE
    material: Index = NONE
    mode: int = 4
    extras: Any = None


class Mesh(Listed):
    LIST = "meshes"

    name: Name = ""
    primitives: list[Primitive]
    extras: Any = None


class Lod(Object):
    """MSFT_lod."""

    ids: Indices


class InstanceAttributes(Object):
    translation: Index = Field(NONE, alias="TRANSLATION")
    rotation: Index = Field(NONE, alias="ROTATION")
    scale: Index = Field(NONE, alias="SCALE")


class Instancing(Object):
    """EXT_mesh_gpu_instancing."""

    attributes: InstanceAttributes


class NodeExtensions(Object):
    lod: Lod | None = Field(None, alias="MSFT_lod")
    instancing: Instancing | None = Field(None, alias="EXT_mesh_gpu_instancing")


class Node(Listed):
    LIST = "nodes"

    name: Name = ""
    mesh: Index = NONE
    children: Indices = ()
    #: column by column; empty where it is not given
    matrix: Matrix = ()
    translation: Three = (0.0, 0.0, 0.0)
    rotation: Four = (0.0, 0.0, 0.0, 1.0)
    scale: Three = (1.0, 1.0, 1.0)
    extensions: NodeExtensions = NodeExtensions()
    extras: Any = None


class Scene(Listed):
    LIST = "scenes"

    nodes: Indices = ()
    extras: Any = None


class OwnObject(Object):
    """What Able Brick stores in the extras of an object."""

    model_config = ConfigDict(alias_generator=None)


class OwnScene(OwnObject):
    """What Able Brick stores with a scene: the view of its level."""

    level: Index


class OwnMesh(OwnObject):
    """What Able Brick stores with a mesh: its faces in a view, with the checksum of the primitives that they belong
    to. `materials` are all that it has, those that no face has included; earlier files do not name them."""

    format: Literal[2]
    faces: Index
    sum: str
    smooth_angle: Annotated[float, Field(ge=0, le=4)]
    normals: str = ""
    materials: Indices = ()


class OwnMeshOfAccessors(OwnObject):
    """The same of files of the first format, which have no checksum."""

    format: Literal[1]
    corners: Index
    vertex: Index
    face_sizes: Index
    material: Index
    facet: Index
    sharp: Index
    smooth_angle: Annotated[float, Field(ge=0, le=4)]
    normals: str = ""
    materials: Indices = ()


M = TypeVar("M", bound=Object)


def checked(model: type[M], value: object, place: str, index: int = NONE) -> M:
    """The object, or FileError that names the place in the file, in a list with its index, and what should be there."""
    try:
        return model.model_validate(value)
    except ValidationError as error:
        where = place if index == NONE else f"{place}[{index}]"
        raise _refusal(error.errors(include_url=False)[0], where) from error


def _refusal(error: Mapping[str, Any], place: str) -> FileError:
    where = place
    for step in error["loc"]:
        where += f"[{step}]" if isinstance(step, int) else f".{step}" if where else str(step)
    if error["type"] == "missing":
        return FileError(f"{where} is missing.", place=where)
    return FileError(f"{where} should be {_wanted(error)}.", place=where, received=repr(error["input"])[:80])


_WANTED: Final = {
    "int_type": "a whole number",
    "int_parsing_size": "a smaller number",
    "float_type": "a number",
    "finite_number": "a finite number",
    "string_type": "text",
    "list_type": "a list",
    "tuple_type": "a list",
    "model_type": "an object",
}


def _plain(limit: float) -> str:
    return str(limit) if isinstance(limit, int) else f"{limit:g}"


def _wanted(error: Mapping[str, Any]) -> str:
    limits = error.get("ctx", {})
    match error["type"]:
        case "greater_than_equal":
            return f"at least {_plain(limits['ge'])}"
        case "less_than_equal":
            return f"at most {_plain(limits['le'])}"
        case "less_than":
            return f"less than {_plain(limits['lt'])}"
        case "literal_error":
            return f"{limits['expected']}, and is {str(error['input'])[:40]}"
        case "too_short" | "too_long":
            return f"a list of {limits.get('min_length', limits.get('max_length'))} numbers"
        case code:
            return _WANTED.get(code, "something else")
