"""The text of the package's README.txt, for the engine programmer who hooks it up."""

from even_palette.core.material.drawn import Way
from even_palette.core.ship.package import Package, PackageSheet

TWINS_TOLD = """\
  Set the uniforms of such a slot from "values" under "twins" in package.json: by variant, "" where there is none.
"""
TIME_TOLD = """\
Variants over time
  "tracks" of a variant (or, by variant, of a twin) say what parameters are at a time t in seconds, in place of their
  value. Keys rise in time; a and b are the times of the first and the last one. "repeat" brings t between them: "once"
  holds it there, "loop" is a + (t - a) mod (b - a), "to and fro" is a + min(w, 2 (b - a) - w) with w = (t - a) mod
  2 (b - a); where a = b all are a. Between two keys at c and d the value is mix(first, second, e((t - c) / (d - c))),
  e being the easing of the first: "linear"; "hold", which stays at the first; or a cubic-bezier of CSS Easing Functions
  Level 1: "ease" (0.25, 0.1, 0.25, 1), "ease-in" (0.42, 0, 1, 1), "ease-out" (0, 0, 0.58, 1), "ease-in-out" (0.42, 0,
  0.58, 1). Colours are mixed as they stand, in linear light; rows and switches hold. A number with a "rate" is then
  brought between its low and high as t was: value + rate t, t as it is. Rows and switches are rounded.
"""
SHADING_TOLD = """\
  "shading" of a sheet says what its light does. With unit vectors n (to the eye's side), l to the light, v to the eye:
  leaves give body (1 - through) to light from the front, and body through max(-n.l, 0) to light from behind. Strands
  with t along them (down the sheet, or across it), sin a = t.l, sin b = t.v and w = clamp(0.25 + 0.75 n.l) give
  colour ((1 - through) cos a w + through max(-n.l, 0)) + w (first e1 + colour second e2), where ek is
  exp(-((a + b) / 2 - shift - broken (2 s - 1))^2 / (2 width^2)), angles in radians, s the output strand_shift (or 0.5).
"""
ALPHA_TOLD = """\
  The output alpha says how much of a pixel is to be drawn, worked out of opacity as "drawing" in package.json says.
  Cut out (opacity of the threshold or more) and dithered (so many of each 8 x 8 pixels of the screen): it is 0 or 1;
  discard where it is 0, and write depth. Blended: mix by it in linear light, behind what is nearer; it is straight, so
  colour is not multiplied by it. Sheets that are not one-sided are lit from behind with the normal turned.
"""


def readme_text(package: Package) -> str:
    """A guide to this package, with its own names."""
    sheet = package.sheets[0]
    maps = "\n".join(_maps(each) for each in package.sheets)

    parameters = (
        "\n".join(f"  {p.uniform:<28} {p.type:<6} {p.help}" for p in package.parameters)
        or "  none: every value is fixed in the shader"
    )
    variants = ", ".join(variant.name for variant in package.variants) or "none besides the defaults"
    transparency = "".join(_drawn(each) for each in package.sheets if each.drawing.way != Way.OPAQUE)
    transparency = f"What shines through\n{transparency}{ALPHA_TOLD}\n" if transparency else ""
    shading = "".join(f"  {each.name}: {each.shading.kind}\n" for each in package.sheets if each.shading)
    transparency += f"Light on strands and leaves\n{shading}{SHADING_TOLD}\n" if shading else ""
    twins = "".join(f"  {twin.name}: {twin.sheet}\n" for twin in package.twins)
    twins = f"Twins: material slots with the maps and the shader of a sheet\n{twins}{TWINS_TOLD}\n" if twins else ""
    moving = any(variant.tracks for variant in package.variants) or any(twin.tracks for twin in package.twins)
    return f"""\
{package.name}: a recolouring package
{"=" * (len(package.name) + 24)}

Files
  package.json            everything below as data, and the formula as a graph
{maps}

How to hook it up
  1. Load the maps. Upload those marked srgb as sRGB textures (the sampler decodes them), all others as plain UNORM.
     Build mips; for srgb maps in linear light. A texel of a level is the mean of the area that it covers one level up,
     also where sides are odd ("mips": "area"). PNG files say nothing of colour unless they are srgb: load data as it
     stands there, without colour management. Floats are OpenEXR. A file may serve several maps and sheets. A map with
     "coverage" has its alpha scaled at each level until as large a share of the texels reaches the threshold as in the
     map itself.
  2. Include the sheet's shader ({sheet.shader}) in your fragment shader and call
         vec3 base_colour = {sheet.function}(uv);
     The result is linear light, Rec. 709 primaries. Feed it to your lighting as the base colour. All that the material
     gives comes as a struct from {sheet.surface_function}(uv): {", ".join(output.name for output in sheet.outputs)}.
     Maps of one uniform with a layer are the layers of an array texture. Where the shader has a function
     even_palette_setup, its head says how to work out once a vertex what is the same at every texel.
     uv (0, 0) is the upper left corner of the maps (as in glTF); flip v if your engine counts from below.
  3. Set the uniforms. package.json lists them under "parameters" (type, default, range, meaning). Colours are in linear
     light. For a variant, copy its "values"; they are complete, inheritance is already worked out.
  4. For another shading language, walk "program" under the sheet: a list of typed operations, arguments by position;
     "outputs" says which of them are results. The operations are those of GLSL, with these cases closed: x / 0 = 0,
     sqrt of negative x is 0, pow of x <= 0 is 0, but 1 for the exponent 0, zeros have no sign (atan2(0, 0) = 0,
     atan2(0, x) is pi for negative x), smoothstep with low >= high is a step at low, select takes its second argument
     where the first is above 0.5, log2 of less than 1e-30 is that of 1e-30. "sample" and "layer" sample the mips that
     fit a pixel, as your sampler does; "sample_lod" and "layer_lod" the level that the last argument says, 0 to the
     last: the two beside it mixed, or the nearer one of maps with a nearest filter; "strip", with the width N and the
     rows of its map, looks up at u = (p (N - 1) + 0.5) / N of the nearest row, filtered; "pixel" is how far uv goes in
     one pixel to the right and down; "screen" is the column and row of the pixel that is drawn, whole numbers; "equal"
     is 1 where both are the same number.

{transparency}{twins}How weights work
  Each channel of a weights map says how much of a texel a region owns. They add up to at most 1 at every texel; what is
  left shows the base colour as painted. Blending is done in {package.blending} values.
  A map of edge pairs holds two numbers of regions in R and G (0: the base) and the share of the first in B. Upload it
  without filter and mips: its mips lie beside it, and the shader looks up four texels of two of them and filters what
  they give.

Uniforms
{parameters}

Variants
  {variants}
{TIME_TOLD if moving else ""}"""


def _drawn(sheet: PackageSheet) -> str:
    """How one sheet is drawn."""
    drawing = sheet.drawing
    how = f"cut out at {drawing.threshold:g}" if drawing.way == Way.CUT_OUT else drawing.way.value
    return f"  {sheet.name}: {how}, {'one side' if drawing.one_sided else 'both sides'}\n"


def _maps(sheet: PackageSheet) -> str:
    """The shader and the maps of one sheet."""
    shader = f"  {sheet.shader:<22}  the material of {sheet.name}: vec3 {sheet.function}(vec2 uv)\n"
    return shader + "\n".join(
        f"  {m.file:<22} -> {m.uniform:<18} {m.width} x {m.height}, {m.channels} channels, {m.bits} bit, "
        f"{m.encoding}, {m.filter} filter, {'mips' if m.mips else 'no mips'}, {m.wrap}"
        + (f"\n{'':27}holds {', '.join(m.holds)}" if m.holds else "")
        for m in sheet.maps
    )
