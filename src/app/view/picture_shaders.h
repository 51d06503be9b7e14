// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// The viewport's shaders (GLSL 3.30).

namespace wyc::app {

inline constexpr const char* kMeshVertex = R"(#version 330 core
layout(location = 0) in vec3 position;
layout(location = 1) in vec3 normal;
layout(location = 2) in vec3 colour;
layout(location = 3) in float width;
uniform mat4 matrix;
uniform float pointSize;
uniform float pixelsAtOne; // of one metre at a distance of one
uniform bool widths;
out vec3 vNormal;
out vec3 vColour;
out vec3 vPosition;
void main() {
    gl_Position = matrix * vec4(position, 1.0);
    gl_PointSize = widths && width > 0.0 ? clamp(width * pixelsAtOne / max(gl_Position.w, 1e-6), 3.0, 200.0) : pointSize;
    vNormal = normal;
    vColour = colour;
    vPosition = position;
})";

// Clay under one key from over the shoulder, a cool fill from below and a soft edge, both sides lit alike.
inline constexpr const char* kMeshFragment = R"(#version 330 core
in vec3 vNormal;
in vec3 vColour;
in vec3 vPosition;
uniform vec3 eye;
uniform vec3 flatColour;
uniform float alpha;
uniform bool lit;
uniform bool coloured;
uniform bool discs;
out vec4 result;
void main() {
    vec3 base = coloured ? vColour : flatColour;
    if (discs) { // a point with a width is a small ball
        vec2 at = gl_PointCoord * 2.0 - 1.0;
        float r = dot(at, at);
        if (r > 1.0) discard;
        result = vec4(base * (0.55 + 0.45 * sqrt(1.0 - r)), alpha);
        return;
    }
    if (!lit) { result = vec4(base, alpha); return; }
    vec3 n = normalize(dot(vNormal, vNormal) > 0.0 ? vNormal : cross(dFdx(vPosition), dFdy(vPosition)));
    vec3 toEye = normalize(eye - vPosition);
    if (dot(n, toEye) < 0.0) n = -n;
    vec3 key = normalize(toEye + vec3(0.55, 0.75, 0.1));
    float light = 0.30 + 0.62 * max(dot(n, key), 0.0) + 0.14 * (0.5 - 0.5 * n.y);
    float edge = pow(1.0 - max(dot(n, toEye), 0.0), 3.0);
    vec3 shaded = base * light + vec3(0.10, 0.16, 0.16) * edge;
    result = vec4(shaded, alpha);
})";

// Curves as bands as wide as they are, at least a little more than a pixel, turned to the eye.
inline constexpr const char* kBandVertex = R"(#version 330 core
layout(location = 0) in vec3 position;
layout(location = 2) in vec3 colour;
layout(location = 3) in float width;
uniform mat4 matrix;
uniform float pixelsAtOne;
uniform float leastPixels;
uniform bool widths;
out vec3 gColour;
out float gPixels;
void main() {
    gl_Position = matrix * vec4(position, 1.0);
    gColour = colour;
    gPixels = max(leastPixels, widths ? width * pixelsAtOne / max(gl_Position.w, 1e-6) : 0.0);
})";
inline constexpr const char* kBandGeometry = R"(#version 330 core
layout(lines) in;
layout(triangle_strip, max_vertices = 4) out;
in vec3 gColour[];
in float gPixels[];
uniform vec2 size;
out vec3 vColour;
out float vAcross;
void main() {
    if (gl_in[0].gl_Position.w <= 0.0 || gl_in[1].gl_Position.w <= 0.0) return;
    vec2 a = gl_in[0].gl_Position.xy / gl_in[0].gl_Position.w * size;
    vec2 b = gl_in[1].gl_Position.xy / gl_in[1].gl_Position.w * size;
    vec2 along = length(b - a) > 1e-4 ? normalize(b - a) : vec2(1.0, 0.0);
    vec2 side = vec2(-along.y, along.x) / size;
    for (int i = 0; i < 2; ++i)
        for (int s = -1; s <= 1; s += 2) {
            vec4 p = gl_in[i].gl_Position;
            p.xy += side * gPixels[i] * float(s) * p.w;
            gl_Position = p;
            vColour = gColour[i];
            vAcross = float(s);
            EmitVertex();
        }
    EndPrimitive();
})";
inline constexpr const char* kBandFragment = R"(#version 330 core
in vec3 vColour;
in float vAcross;
uniform vec3 flatColour;
uniform float alpha;
uniform bool coloured;
out vec4 result;
void main() {
    vec3 base = coloured ? vColour : flatColour;
    result = vec4(base * (0.62 + 0.38 * sqrt(max(0.0, 1.0 - vAcross * vAcross))), alpha);
})";

inline constexpr const char* kLineVertex = R"(#version 330 core
layout(location = 0) in vec4 position; // w: brightness
uniform mat4 matrix;
out float vFade;
out vec3 vPosition;
void main() {
    gl_Position = matrix * vec4(position.xyz, 1.0);
    vFade = position.w;
    vPosition = position.xyz;
})";
inline constexpr const char* kLineFragment = R"(#version 330 core
in float vFade;
in vec3 vPosition;
uniform vec3 flatColour;
uniform vec3 centre;
uniform float reach;
out vec4 result;
void main() {
    float far = clamp(1.0 - length(vPosition - centre) / reach, 0.0, 1.0);
    result = vec4(flatColour, vFade * far);
})";

} // namespace wyc::app
