"""The transfer of sRGB (IEC 61966-2-1) as shaders have it, for a colour."""

DECODED = """\
vec3 decoded(vec3 c) {
    return mix(c / 12.92, pow((c + 0.055) / 1.055, vec3(2.4)), step(vec3(0.04045), c));
}
"""
ENCODED = """\
vec3 encoded(vec3 c) {
    c = clamp(c, 0.0, 1.0);
    return mix(c * 12.92, 1.055 * pow(max(c, vec3(0.0031308)), vec3(1.0 / 2.4)) - 0.055, step(vec3(0.0031308), c));
}
"""
