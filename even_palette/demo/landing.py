"""The landing: a scene of the river with the whole fleet, three hundred reeds, trees and cargo on the bank; in the
morning, at dusk and by night.
"""

from even_palette.core.kit import commands
from even_palette.core.kit.history import History
from even_palette.core.kit.scene import Camera, Lamp, LightKind, Placing, SceneLight, ToneCurve
from even_palette.core.material.shading import Highlight, Shaded, Shading

FLEET = {"morning_ferry": 0.25, "night_post": 0.25, "harvest_barge": 0.25, "ice_patrol": 0.25}
REED = {"turn_range": 180.0, "smallest": 0.75, "largest": 1.35, "least": 0.12}
MORNING = SceneLight(LightKind.DAYLIGHT, 8.2, 0.3, ToneCurve.NEUTRAL, True)
DUSK = SceneLight(LightKind.DAYLIGHT, 18.9, 0.6, ToneCurve.NEUTRAL, True)
NIGHT = SceneLight(
    LightKind.NIGHT, exposure=1.0, tone=ToneCurve.NEUTRAL, sky=True,
    lamps=(
        Lamp((-6.5, 2.6, -10.8), (1.0, 0.78, 0.5), 16.0), Lamp((5.5, 2.6, -10.8), (1.0, 0.78, 0.5), 16.0),
        Lamp((-1.5, 3.2, 3.5), (0.62, 0.78, 1.0), 26.0),
    ),
)  # fmt: skip

REEDS = Shaded(
    Shading.STRANDS,
    first=Highlight(-7.5, 7.5, strength=0.08),
    second=Highlight(11.25, 15.0, strength=0.4),
    through=0.35,
)


def build_landing(history: History) -> None:
    """Place it all: the fleet in its four liveries, reeds of two kinds in one wind, trees of which no two are alike.

    Reeds are lit as strands, trees as leaves.
    """
    meshes = {mesh.sheet: mesh.key for mesh in history.kit.meshes}
    tug, cargo, reeds, _, _, _, river, tree = (sheet.key for sheet in history.kit.sheets)
    history.do(commands.add_scene("The landing"))
    for placing in (
        Placing("", "River", "row", meshes[river], 1),
        Placing("", "Fleet", "row", meshes[tug], 4, shares=FLEET, values={"apart": 5.0, "turn": 62.0},
                place=(0.0, 0.0, 1.0), draw=3),
        Placing("", "Green reeds", "scatter", meshes[reeds], 160, shares={"morning_ferry": 1.0},
                values={**REED, "wide": 22.0, "deep": 1.5}, place=(0.0, -0.15, -11.6)),
        Placing("", "Dry reeds", "scatter", meshes[reeds], 140, shares={"harvest_barge": 1.0},
                values={**REED, "wide": 22.0, "deep": 1.6, "smallest": 0.6, "largest": 1.1}, place=(0.0, 0.0, -12.6)),
        Placing("", "Trees", "scatter", meshes[tree], 9, shares={"morning_ferry": 0.6, "harvest_barge": 0.4},
                values={"wide": 22.0, "deep": 1.2, "least": 1.9, "turn_range": 180.0, "smallest": 0.8, "largest": 1.25},
                place=(0.0, 0.65, -14.3)),
        Placing("", "Cargo", "scatter", meshes[cargo], 5, shares=FLEET,
                values={"wide": 6.0, "deep": 1.4, "least": 1.1, "turn_range": 90.0}, place=(6.0, 0.3, -13.4)),
    ):  # fmt: skip
        history.do(commands.add_placing("the_landing", placing))
    history.do(commands.set_shaded(reeds, REEDS))
    history.do(commands.set_shaded(tree, Shaded(Shading.LEAVES, through=0.4)))
    history.do(commands.keep_view("the_landing", Camera((0.0, 1.6, -5.0), 26.0, 9.0, 27.0)))
    history.do(commands.set_light("the_landing", MORNING))
    for name, light in (("The landing at dusk", DUSK), ("The landing by night", NIGHT)):
        history.do(commands.copy_scene("the_landing", name))
        history.do(commands.set_light(history.kit.scenes[-1].key, light))
