"""Items: what stands on the set, where it came from, how it is placed, and what it wears."""

from typing import Annotated, Literal

from pydantic import Field, model_validator

from .base import AssetRef, Choices, Doc, Id, Name, affecting, quantity, read_only
from .came_with import FileCamera, FileLight
from .copies import Copies
from .made import Made
from .surface_layer import MOST_DECALS, Decal

CentreMethod = Literal["file", "box", "area", "revolution"]

Resting = Literal["as it came", "face", "back", "left", "right", "head"]
"""What side an item lies on."""
ON_DISC, ON_SET, ON_CAMERA = "disc", "set", "camera"
GROUNDS = (ON_DISC, ON_SET, ON_CAMERA)
"""What things ride on that are not things."""
SET_PARTS = ("sweep", "disc")
"""Ids of the set's own parts; no item's part has one of them."""


class Part(Doc):
    """A named piece of an item."""

    AFFECTS = "geometry"

    id: Id
    name: Name
    triangles: Annotated[int, read_only("nothing", ge=0)]
    number: Annotated[int, read_only("nothing", ge=0)] = 0
    """which part of the file it is, counted from 1; 0: not known"""
    box: Annotated[tuple[float, float, float, float, float, float] | None, read_only("nothing")] = None
    """lowest and highest corner in the file's space; None: not known"""
    group: Annotated[tuple[Name, ...], affecting("nothing", title="Group", max_length=12)] = ()
    """what it stands in, from the outside in"""


class Worn(Doc):
    """Material and visibility of a part in a colourway; its id is the part's."""

    AFFECTS = "geometry"

    id: Id
    material: Annotated[Id, Field(title="Material")]
    visible: Annotated[bool, Field(title="Visible")] = True


class Variant(Doc):
    """A colourway: a complete set of materials and shown parts of an item."""

    AFFECTS = "geometry"

    id: Id
    name: Name
    parts: tuple[Worn, ...]
    """one for each part of the item, in the same order"""


class Placement(Doc):
    """Transform from the file's own space into the studio.

    First the file's up axis is turned to +Y and its unit scaled to metres; then it is tipped forward about the axis
    to its side and over to its side about the axis to its front, and scaled; the chosen centre is put on the axis of
    its turn, it is turned by `turn_deg` and lifted, and brought to its place on the floor.
    """

    AFFECTS = "transform"

    unit_m: Annotated[float, quantity("Unit", "m", ge=1e-15, le=1e9, then="resize")] = 1.0
    """Length of one file unit in metres."""
    up: Annotated[Literal["y", "z"], affecting(title="Up axis", then="settle")] = "y"
    centre_method: CentreMethod = "box"
    centre_x_m: Annotated[float, quantity("Centre x", "m", ge=-1e9, le=1e9)] = 0.0
    """Where the axis of the turn goes through the model, from its origin."""
    centre_z_m: Annotated[float, quantity("Centre z", "m", ge=-1e9, le=1e9)] = 0.0
    """Where the axis of the turn goes through the model, from its origin."""
    tip_deg: Annotated[float, quantity("Tip", "°", ge=-3600, le=3600, then="settle")] = 0.0
    """Tips the item: its top comes to the front."""
    roll_deg: Annotated[float, quantity("Roll over", "°", ge=-3600, le=3600, then="settle")] = 0.0
    """Rolls the item: its top goes to the right, seen from the front."""
    scale: Annotated[float, quantity("Scale", "×", ge=1e-3, le=1000, then="settle")] = 1.0
    """Size of the item: 2 is twice as large."""
    turn_deg: Annotated[float, quantity("Turn", "°", ge=-3600, le=3600, then="carry", moves=True)] = 0.0
    """Turns the item about the vertical."""
    lift_m: Annotated[float, quantity("Lift", "m", ge=-1e9, le=1e9, then="carry", moves=True)] = 0.0
    """Raises the item above what it stands on."""
    x_m: Annotated[float, quantity("To the right", "m", ge=-5000, le=5000, then="carry", moves=True)] = 0.0
    """Where the item stands, to the right of the middle."""
    z_m: Annotated[float, quantity("To the front", "m", ge=-5000, le=5000, then="carry", moves=True)] = 0.0
    """Where the item stands, to the front of the middle."""

    @property
    def stance(self) -> "Placement":
        """Size and lie of the item alone, as a placement at the origin."""
        return Placement(unit_m=self.unit_m, up=self.up, tip_deg=self.tip_deg, roll_deg=self.roll_deg, scale=self.scale)


class Animation(Doc):
    """A movement that came with the model."""

    id: Id
    name: Name
    seconds: Annotated[float, Field(ge=0)]


class AnimationWindow(Doc):
    """Window of an animation: in and out, repeats, and blend with the piece before."""

    AFFECTS = "motion"

    times: Annotated[float, quantity("Times", "×", ge=0.01, le=1000)] = 1.0
    """How often this piece is played."""
    from_s: Annotated[float, quantity("In", "s", ge=0, le=3600)] = 0.0
    to_s: Annotated[float | None, quantity("Out", "s", ge=0, le=3600)] = None
    """none: its end"""
    reverse: Annotated[bool, Field(title="Backwards")] = False
    """Plays this piece backwards."""
    blend_s: Annotated[float, quantity("Blend", "s", ge=0, le=60)] = 0.0


class AnimationPiece(AnimationWindow):
    """A piece of an animation."""

    id: Id = "first"
    animation: Annotated[Id, affecting("geometry", title="Animation")]
    speed: Annotated[float, quantity("Speed", "×", ge=0.01, le=100)] = 1.0
    """Speed of this piece: 2 is twice as fast."""


class Play(AnimationWindow):
    """Playback of the item's animations during the shot: the first, then others, one after the other.

    `whole`: a whole number of times, at a speed as near as possible to the one asked for, so that the loop closes;
    `loop`: again and again at exactly this speed; `once`: then it stands in its last pose. Where it comes round again,
    the beginning of the first piece is blended with the end of the last.
    """

    animation: Annotated[Id | None, affecting("geometry", title="Animation")] = None
    """none: it stands as it was bound"""
    repeat: Annotated[
        Literal["whole", "loop", "once"],
        Field(title="Repeat"),
        Choices({"whole": "Whole times", "loop": "Loop", "once": "Once"}),
    ] = "whole"
    """Whole times: so often as fits the shot, so that it closes. Loop: round and round. Once: it stays at its end."""
    speed: Annotated[float, quantity("Speed", "×", ge=0.01, le=100)] = 1.0
    """Speed of everything that is played."""
    start_s: Annotated[float, quantity("Begins at", "s", ge=0, le=3600)] = 0.0
    """Where the animation stands in the first frame."""
    then: Annotated[tuple[AnimationPiece, ...], Field(title="Then", max_length=64)] = ()

    @property
    def first(self) -> AnimationPiece:
        """The piece that is played first, of a play that plays."""
        return AnimationPiece(
            animation=self.animation or "", **{name: getattr(self, name) for name in AnimationWindow.model_fields}
        )


class Detail(Doc):
    """Level of detail of a model made from its source, by a tolerance in pixels."""

    error_px: Annotated[float, quantity("What may show", "px", ge=0.05, le=10)] = 0.25
    lighten: Annotated[bool, Field(title="Lighten")] = False
    """Leave out triangles whose absence does not show."""
    smooth: Annotated[Literal["marked", "all", "none"], Field(title="Smooth")] = "marked"
    """Which parts are cages to be refined: those that the file marks, all, or none."""
    tolerance_mm: Annotated[float | None, quantity("Tolerance", "mm", ge=1e-6, le=1e5)] = None
    """How far exact surfaces may be missed; None: by what may show."""
    left_out: Annotated[tuple[Annotated[int, Field(ge=1)], ...], Field(max_length=2000)] = ()
    """Numbers of parts of the file that are not taken."""


class Filling(Doc):
    """Liquid in the hollow of an item. The item's last part is the liquid, and wears its material."""

    AFFECTS = "amount"

    level: Annotated[float, quantity("Level", "", ge=0.005, le=1)] = 0.6
    """Height of the liquid: 0 is the bottom of the hollow, 1 its brim."""
    meniscus_m: Annotated[float, quantity("Meniscus", "m", ge=0, le=0.02)] = 0.001
    """Height by which the liquid climbs the wall at its edge. 0 is a flat surface."""


class Item(Doc):
    """A thing on the set: a model that came in through intake, or a made shape."""

    AFFECTS = "geometry"

    id: Id
    name: Name
    asset: Annotated[AssetRef, read_only()] = ""
    """Content hash of the compiled geometry; empty for a made shape."""
    made: Made | None = None
    source_name: Annotated[str, read_only("nothing")] = ""
    parts: tuple[Part, ...]
    variants: Annotated[tuple[Variant, ...], Field(min_length=1, max_length=200)]
    variant_id: Annotated[Id, Field(title="Colourway")]
    """the colourway it wears where a shot says nothing else"""
    placement: Placement = Placement()
    rides: Annotated[Id, affecting("transform", title="Rides on", then="mount")] = ON_DISC
    """`disc`: it stands on the disc and turns with it; `set`: it stands on the floor; `camera`: it goes along with the
    camera; or the item on whose top it stands and with which it moves"""
    on: Annotated[bool, Field(title="On the set")] = True
    animations: Annotated[tuple[Animation, ...], read_only()] = ()
    play: Play = Play()
    cameras: Annotated[tuple[FileCamera, ...], read_only("nothing", max_length=200)] = ()
    lights: Annotated[tuple[FileLight, ...], read_only("nothing", max_length=200)] = ()
    source: Annotated[AssetRef, read_only("nothing")] = ""
    """Content hash of an archive of what was brought in; empty for models that came in before these were kept."""
    detail: Annotated[Detail, read_only("nothing")] = Detail()
    decals: Annotated[tuple[Decal, ...], Field(max_length=MOST_DECALS)] = ()
    """pictures on its surface"""
    filling: Filling | None = None
    copies: Copies | None = None
    """copies that stand in its place; None: it stands alone"""
    off: Annotated[float, read_only("nothing", ge=0)] = 0.0
    """How far it is off its source at most, in units of the file; 0: it is the source."""

    @property
    def playing(self) -> frozenset[int] | None:
        """Numbers of the animations that are played, None where it plays nothing."""
        if self.play.animation is None:
            return None
        wanted = {self.play.animation, *(piece.animation for piece in self.play.then)}
        return frozenset(i for i, a in enumerate(self.animations) if a.id in wanted)

    @property
    def variant(self) -> Variant:
        """The colourway that it wears."""
        return next(v for v in self.variants if v.id == self.variant_id)

    @model_validator(mode="after")
    def _is_sound(self) -> "Item":
        return self.sound()

    def sound(self) -> "Item":
        """The item itself; raises ValueError with a sentence when something in it does not fit the rest."""
        if bool(self.asset) == (self.made is not None):
            raise ValueError(f"‘{self.name}’ must be either a model or a made shape.")
        parts = [p.id for p in self.parts]
        for variant in self.variants:
            if [w.id for w in variant.parts] != parts:
                raise ValueError(f"The colourway ‘{variant.name}’ of ‘{self.name}’ does not say what every part wears.")
        if len({v.id for v in self.variants}) != len(self.variants):
            raise ValueError(f"Two colourways of ‘{self.name}’ have the same id.")
        if all(v.id != self.variant_id for v in self.variants):
            raise ValueError(f"‘{self.name}’ has no colourway ‘{self.variant_id}’.")
        known = {a.id for a in self.animations} | {None}
        if any(a not in known for a in (self.play.animation, *(piece.animation for piece in self.play.then))):
            raise ValueError(f"‘{self.name}’ has no such animation.")
        if self.play.animation is None and self.play.then:
            raise ValueError(f"‘{self.name}’ stands at first: nothing can follow on that.")
        if len({piece.id for piece in self.play.then}) != len(self.play.then):
            raise ValueError(f"Two pieces of what ‘{self.name}’ plays have the same id.")
        return self
