"""GLSL 3.30 of the renderer. Pictures are drawn upside down (flip), so that read-back gives the top row first."""

SKIN_VERTEX = """
#version 330 core
uniform mat4 camera;
uniform sampler2D joints;       // three texels (rows of a 3x4 matrix) a joint
uniform bool shadow;
uniform vec3 light;
in vec3 position; in vec3 normal; in uvec4 joint; in vec4 weight; in vec3 colour;
out vec3 world_normal; out vec3 world; out vec3 base;
void main() {
    vec4 r0 = vec4(0.0), r1 = vec4(0.0), r2 = vec4(0.0);
    // A shadow needs no more than each vertex's strongest joint; software drawing feels the difference.
    int count = shadow ? 1 : 4;
    for (int i = 0; i < count; ++i) {
        float w = shadow ? 1.0 : weight[i];
        if (w <= 0.0) continue;
        int j = int(joint[i]) * 3;
        r0 += w * texelFetch(joints, ivec2(j, 0), 0);
        r1 += w * texelFetch(joints, ivec2(j + 1, 0), 0);
        r2 += w * texelFetch(joints, ivec2(j + 2, 0), 0);
    }
    vec4 p = vec4(position, 1.0);
    world = vec3(dot(r0, p), dot(r1, p), dot(r2, p));
    world_normal = vec3(dot(r0.xyz, normal), dot(r1.xyz, normal), dot(r2.xyz, normal));
    base = colour;
    if (shadow) world -= light * (world.y / light.y);
    gl_Position = camera * vec4(world, 1.0);
    // One depth for the whole shadow: every pixel of it is darkened once. What lies behind the eye is left out.
    if (shadow) {
        vec3 flat_ = vec3(gl_Position.xy / gl_Position.w, 0.99998);
        gl_Position = vec4(gl_Position.w > 1e-3 ? flat_ : vec3(2.0), 1.0);
    }
    gl_Position.y = -gl_Position.y;
}
"""

SKIN_FRAGMENT = """
#version 330 core
uniform vec3 light; uniform vec3 eye; uniform vec3 sky; uniform vec3 floor_colour;
uniform vec4 tint;              // share in w
uniform float alpha;
in vec3 world_normal; in vec3 world; in vec3 base;
out vec4 pixel;
void main() {
    vec3 n = normalize(world_normal);
    vec3 v = normalize(eye - world);
    if (dot(n, v) < 0.0) n = -n;
    float key = max(dot(n, light), 0.0);
    float rim = pow(1.0 - max(dot(n, v), 0.0), 3.0);
    vec3 around = mix(floor_colour * 0.42, sky * 0.62, n.y * 0.5 + 0.5);
    vec3 c = mix(base, tint.rgb, tint.w);
    c = c * (around + key * vec3(0.92, 0.88, 0.80)) + rim * 0.10 * sky;
    c = pow(c, vec3(1.0 / 2.2));
    pixel = vec4(c, alpha);
}
"""

SHADOW_FRAGMENT = """
#version 330 core
uniform vec3 colour;
in vec3 world; in vec3 world_normal; in vec3 base;
out vec4 pixel;
void main() {
    pixel = vec4(colour, 0.30);
}
"""

SKY_VERTEX = """
#version 330 core
uniform vec3 sky; uniform vec3 floor_colour; uniform float horizon;
in vec2 corner;                 // y: how far above the horizon
out vec3 colour;
void main() {
    // Haze over the ground far away, and an edge where it ends: the horizon is seen from any angle.
    float haze = smoothstep(-0.9, 0.0, corner.y) * 0.55;
    float edge = smoothstep(-0.012, 0.012, corner.y);
    colour = mix(mix(floor_colour, sky, haze), sky, edge);
    gl_Position = vec4(corner.x, -corner.y - horizon, 0.999999, 1.0);
}
"""

SKY_FRAGMENT = """
#version 330 core
in vec3 colour;
out vec4 pixel;
void main() { pixel = vec4(colour, 1.0); }
"""

LINE_VERTEX = """
#version 330 core
uniform mat4 camera; uniform vec2 size;
in vec2 corner;                 // x along (0, 1), y across (-1, 1)
in vec3 start; in vec3 end; in vec2 widths; in vec4 colour;
out vec4 tint; out float across; out float half_width;
void main() {
    vec4 a = camera * vec4(start, 1.0), b = camera * vec4(end, 1.0);
    // Cut at the near plane: a stroke that runs behind the eye must not turn over.
    float near = 1e-3;
    if (a.w < near) a = mix(a, b, (near - a.w) / (b.w - a.w));
    if (b.w < near) b = mix(b, a, (near - b.w) / (a.w - b.w));
    vec2 pa = a.xy / a.w * size, pb = b.xy / b.w * size;
    vec2 d = pb - pa;
    vec2 n = length(d) > 1e-6 ? normalize(vec2(-d.y, d.x)) : vec2(0.0);
    half_width = mix(widths.x, widths.y, corner.x) * 0.5;
    vec4 p = corner.x < 0.5 ? a : b;
    across = corner.y * (half_width + 1.0);
    p.xy += n * across * 2.0 / size * p.w;
    p.y = -p.y;
    tint = colour;
    gl_Position = p;
}
"""

LINE_FRAGMENT = """
#version 330 core
in vec4 tint; in float across; in float half_width;
out vec4 pixel;
void main() {
    float a = clamp(half_width + 0.5 - abs(across), 0.0, 1.0);
    pixel = vec4(tint.rgb, tint.a * a);
}
"""

MARK_VERTEX = """
#version 330 core
uniform mat4 camera; uniform vec2 size;
in vec2 corner; in vec3 place; in float across; in float kind; in vec4 colour;
out vec2 at; out vec4 tint; flat out int shape; flat out float radius;
void main() {
    vec4 p = camera * vec4(place, 1.0);
    radius = across * 0.5;
    at = corner * (radius + 2.0);
    p.xy += at * 2.0 / size * p.w;
    p.y = -p.y;
    if (p.w < 1e-3) p = vec4(2.0, 2.0, 2.0, 1.0);
    tint = colour; shape = int(kind + 0.5);
    gl_Position = p;
}
"""

MARK_FRAGMENT = """
#version 330 core
uniform vec3 rim;
in vec2 at; in vec4 tint; flat in int shape; flat in float radius;
out vec4 pixel;
void main() {
    float d;
    if (shape == 1) d = (abs(at.x) + abs(at.y)) * 0.80 - radius * 0.92;
    else if (shape == 2) d = max(abs(at.x) - radius, abs(at.y) - radius * 0.45);
    else if (shape == 3) { vec2 q = abs(vec2(at.x + at.y, at.x - at.y)) * 0.7071;
                           d = min(max(q.x - radius, q.y - radius * 0.30), max(q.y - radius, q.x - radius * 0.30)); }
    else d = length(at) - radius;
    float fill = clamp(0.5 - d - 1.2, 0.0, 1.0);
    float all_of_it = clamp(0.5 - d, 0.0, 1.0);
    if (shape == 0) {           // a ring: its middle is open
        float hole = clamp(0.5 - (length(at) - radius * 0.38), 0.0, 1.0);
        pixel = vec4(mix(rim, tint.rgb, fill * (1.0 - hole)), tint.a * all_of_it);
        return;
    }
    pixel = vec4(mix(rim, tint.rgb, fill), tint.a * all_of_it);
}
"""
