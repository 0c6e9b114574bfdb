"""The landing: a scene of the river with the whole fleet, three hundred reeds, trees and cargo on the bank."""

from even_palette.core.kit import commands
from even_palette.core.kit.history import History
from even_palette.core.kit.scene import Placing

FLEET = {"morning_ferry": 0.25, "night_post": 0.25, "harvest_barge": 0.25, "ice_patrol": 0.25}
REED = {"turn_range": 180.0, "smallest": 0.75, "largest": 1.35, "least": 0.12}


def build_landing(history: History) -> None:
    """Place it all: the fleet in its four liveries, reeds of two kinds in one wind, trees of which no two are alike."""
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
