"""Where a scene is looked at from, as the camera of its views takes it."""

import math
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from even_palette.core.errors import UserError
from even_palette.core.kit.scene import Camera, Scene
from even_palette.core.mesh.view import Orbit
from even_palette.core.results.crowd import Crowd


def framing(crowds: Sequence[Crowd], width: int, height: int) -> Orbit:
    """A view of all instances, of so many pixels. Raises UserError where there are none."""
    if not crowds:
        raise UserError("Nothing stands in this scene yet.")
    points = np.concatenate([crowd.corners().reshape(-1, 3) for crowd in crowds])
    return Orbit().framed(points, width / height)


def view_of(scene: Scene, crowds: Sequence[Crowd], width: int, height: int) -> Orbit:
    """The view that was kept of a scene, else one of all instances. Raises UserError where there are none."""
    framed = framing(crowds, width, height)
    return framed if scene.camera is None else through(scene.camera, framed)


def through(camera: Camera, framed: Orbit) -> Orbit:
    """The view of a camera; `framed` says how large what is looked at is."""
    turned = math.radians(camera.yaw), math.radians(camera.pitch)
    return replace(framed, target=camera.target, yaw=turned[0], pitch=turned[1], distance=camera.distance)


def camera_of(orbit: Orbit) -> Camera:
    """The camera that looks as a view does."""
    return Camera(orbit.target, math.degrees(orbit.yaw), math.degrees(orbit.pitch), orbit.distance)
