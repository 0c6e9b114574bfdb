"""What scenes refer to: that it is there, and what becomes of them where it goes."""

import math

from msgspec.structs import replace

from even_palette.core.errors import UserError
from even_palette.core.kit.model import Kit
from even_palette.core.kit.names import retire
from even_palette.core.kit.scene import Own, Placing, Scene
from even_palette.core.kit.validate_coats import check_tracks, plain_setting
from even_palette.core.kit.validate_sheet import distinct
from even_palette.core.limits import MOST_IN_SCENE
from even_palette.core.lineup.placings import PLACINGS
from even_palette.core.material.model import Setting
from even_palette.core.material.variants import MASTER


def check_scenes(kit: Kit) -> None:
    """Raise UserError for scenes with kinds, meshes, variants or parameters that are not there."""
    distinct("scene", [scene.key for scene in kit.scenes])
    distinct("scene name", [scene.name for scene in kit.scenes])
    meshes, variants = {mesh.key for mesh in kit.meshes}, kit.variant_names
    parameters = kit.parameters_by_key
    for scene in kit.scenes:
        distinct(f"placing of “{scene.name[:40]}”", [placing.key for placing in scene.placings])
        total = sum(max(placing.count, len(placing.spots)) for placing in scene.placings)
        if total > MOST_IN_SCENE:
            raise UserError(
                f"“{scene.name[:40]}” holds {total:,} instances; the limit is {MOST_IN_SCENE:,} in a scene."
            )
        for placing in scene.placings:
            who = f"placing “{placing.name[:40]}”"
            if placing.kind not in PLACINGS:
                raise UserError(f"{who} is a “{placing.kind[:40]}”; there is {', '.join(PLACINGS)}.")
            if any(isinstance(value, float) and not math.isfinite(value) for value in placing.values.values()):
                raise UserError(f"{who} has a setting that is no number.")
            if placing.mesh not in meshes:
                raise UserError(f"{who} places the mesh “{placing.mesh[:40]}”, which is not there.")
            named = [*placing.shares, *(own.variant for own in placing.own.values() if own.variant is not None)]
            for variant in named:
                if variant not in variants:
                    raise UserError(f"{who} has instances in the variant “{variant[:40]}”, which is not there.")
            for own in placing.own.values():
                for key, setting in own.values.items():
                    if key not in parameters:
                        raise UserError(f"{who} has an instance that sets “{key[:40]}”, which is not there.")
                    plain_setting(parameters[key], setting)
                check_tracks(who, own.tracks, parameters)


def with_scene(kit: Kit, scene: Scene) -> Kit:
    """The kit with the scene of this key replaced."""
    return replace(kit, scenes=tuple(scene if each.key == scene.key else each for each in kit.scenes))


def fitting_scenes(kit: Kit, instead: dict[str, str] | None = None) -> Kit:
    """The kit whose scenes refer to nothing that is not there: placings of meshes that went go with them.

    Instances of a variant that went are in another one, by key of what went, else in the master; values that their
    parameter could not have go.
    """
    if not kit.scenes:
        return kit
    meshes, variants = {mesh.key for mesh in kit.meshes}, kit.variant_names
    parameters = kit.parameters_by_key

    def fits(key: str, setting: Setting) -> bool:
        try:
            return key in parameters and plain_setting(parameters[key], setting) == setting
        except UserError:
            return False

    def there(variant: str) -> str:
        return variant if variant in variants else (instead or {}).get(variant, MASTER)

    def own_of(own: Own) -> Own:
        values = {key: value for key, value in own.values.items() if fits(key, value)}
        tracks = {k: track for k, track in own.tracks.items() if all(fits(k, key.value) for key in track.keys)}
        variant = None if own.variant is None else there(own.variant)
        return replace(own, variant=variant, values=values, tracks=tracks)

    def placing_of(placing: Placing) -> Placing:
        shares = dict[str, float]()
        for variant, share in placing.shares.items():
            shares[there(variant)] = min(shares.get(there(variant), 0.0) + share, 1.0)
        return replace(placing, shares=shares, own={number: own_of(own) for number, own in placing.own.items()})

    scenes = tuple(
        replace(scene, placings=tuple(placing_of(placing) for placing in scene.placings if placing.mesh in meshes))
        for scene in kit.scenes
    )
    if scenes == kit.scenes:
        return kit
    left = {placing.key for scene in scenes for placing in scene.placings}
    gone = [placing.key for scene in kit.scenes for placing in scene.placings if placing.key not in left]
    return retire(replace(kit, scenes=scenes), *gone)
