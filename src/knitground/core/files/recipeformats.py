"""File models of recipes and their steps."""

from __future__ import annotations

from typing import Annotated, Any, Final, Literal, Union, get_args, get_type_hints

from pydantic import (
    BaseModel,
    ConfigDict,
    Discriminator,
    Field,
    PlainSerializer,
    SerializerFunctionWrapHandler,
    Tag,
    TypeAdapter,
    model_serializer,
)

from knitground.core.files.formats import FilePart
from knitground.core.model.conditions import Condition
from knitground.core.model.limits import (
    MAX_LAYERS,
    MAX_STEPS,
    Cells,
    Name,
    Number,
    Octaves,
    Seed,
    Weight,
    Word,
)
from knitground.core.model.recipe import PLAIN_STEPS, NoiseForm, Stretch, Turned

RECIPE_FORMAT: Final = "knitground/recipe"


RECIPE_VERSION: Final = 1


class ShareFile(FilePart):
    """Asked-for part of a terrain."""

    terrain: Word
    share: Weight


class NoiseStepFile(FilePart):
    """Recipe step: noise ground. A share of terrain "" is nothing, in ring and edge sets.

    Of what all steps have, and of how noise is bent, what is as it is by itself is not written.
    """

    name: Word = ""
    active: bool = True
    salt: Number | None = None
    where: Annotated[list[Condition], Field(max_length=16)] = []
    step: Literal["noise ground"] = "noise ground"
    layer: Number
    scale: Cells = 16.0
    octaves: Octaves = 4
    shares: Annotated[list[ShareFile], Field(max_length=256)] = []
    form: NoiseForm = NoiseForm.PLAIN
    stretch: Stretch = 1.0
    turn: Turned = 0.0

    @model_serializer(mode="wrap")
    def _sparse(self, handler: SerializerFunctionWrapHandler) -> dict[str, Any]:
        whole = handler(self)
        plain = {"name": "", "active": True, "salt": None, "where": [], "form": "plain",
                 "stretch": 1.0, "turn": 0.0}  # fmt: skip
        out = {name: value for name, value in whole.items() if plain.get(name, ...) != value}
        if "where" in out:
            out["where"] = [_sparse_condition(each) for each in self.where]
        return out


_CONDITION: TypeAdapter[Condition] = TypeAdapter(Condition)


def _sparse_condition(each: Condition) -> dict[str, Any]:
    value: dict[str, Any] = _CONDITION.dump_python(each, mode="json", exclude_defaults=True)
    return value


def _sparse_step(each: Any) -> dict[str, Any]:
    kind = type(each)
    value: dict[str, Any] = TypeAdapter(kind).dump_python(each, mode="json", exclude_defaults=True)
    return {"step": each.step, **value}


def _kind_of_step(value: Any) -> str:
    name = value.get("step") if isinstance(value, dict) else getattr(value, "step", None)
    return name if isinstance(name, str) and name in _KNOWN else "unknown"


_PLAIN = {get_args(get_type_hints(each)["step"])[0]: each for each in PLAIN_STEPS}

_KNOWN = {"noise ground", *_PLAIN}


class UnknownStepFile(BaseModel):
    """Recipe step of a kind that this version does not know: it is kept as it is."""

    model_config = ConfigDict(extra="allow", allow_inf_nan=False)

    step: Annotated[Name, Field(json_schema_extra={"not": {"enum": sorted(_KNOWN)}})]
    layer: Number = 0
    name: Word = ""
    active: bool = True


_TAGGED: Any = Union[
    (
        *(Annotated[each, PlainSerializer(_sparse_step), Tag(name)]
          for name, each in _PLAIN.items()),
        Annotated[NoiseStepFile, Tag("noise ground")],
        Annotated[UnknownStepFile, Tag("unknown")],
    )
]  # fmt: skip

StepFile = Annotated[_TAGGED, Discriminator(_kind_of_step)]


class RecipeFile(FilePart):
    """Steps and the seed they start from."""

    seed: Seed = 1
    steps: Annotated[list[StepFile], Field(max_length=MAX_STEPS)] = []


class LayerName(FilePart):
    """The name of a layer that a recipe works on, and its kind."""

    number: Number
    kind: Literal["tiles", "ground", "grown", "tint", "markers"]
    name: Name


class KeptRecipeFile(FilePart):
    """`*.recipe.json`: a recipe by itself; its layers are found again by kind and name."""

    format: Literal["knitground/recipe"] = RECIPE_FORMAT
    version: Literal[1] = RECIPE_VERSION
    recipe: RecipeFile
    layers: Annotated[list[LayerName], Field(max_length=MAX_LAYERS)] = []
