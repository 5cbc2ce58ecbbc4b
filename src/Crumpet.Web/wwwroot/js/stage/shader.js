// One shader for everything the stage shows of a mesh. Light: see SkyLight in the core.

/** What the fragment shader can show; the number is compiled into it as LOOK, so that each look costs only its own. */
export const looks = ["plain", "material", "facing", "normals", "groups", "colours", "checker", "density", "map", "lit", "id"];

export const vertexShader = `
precision highp float;
uniform mat4 modelMatrix, viewMatrix, projectionMatrix;
in vec4 position, tangent, colour;
in vec2 normal, uv;
in float density;
out vec3 vNormal, vWorld;
out vec4 vTangent, vColour;
out vec2 vUv;
out float vDensity;
flat out int vMaterial;

vec3 unfold(vec2 flatN) {
  vec3 v = vec3(flatN, 1.0 - abs(flatN.x) - abs(flatN.y));
  if (v.z < 0.0) v.xy = (1.0 - abs(v.yx)) * vec2(v.x < 0.0 ? -1.0 : 1.0, v.y < 0.0 ? -1.0 : 1.0);
  return normalize(v);
}

void main() {
  vNormal = unfold(normal);
  vTangent = tangent;
  vColour = colour;
  vUv = uv;
  vDensity = density;
  vMaterial = int(position.w * 65535.0 + 0.5) - 1;
  vec4 world = modelMatrix * vec4(position.xyz, 1.0);
  vWorld = world.xyz;
  gl_Position = projectionMatrix * viewMatrix * world;
}`;

// Cividis, the colour scale readable to all (Nuñez, Anderton and Renslow, 2018), as a polynomial of degree six.
const cividisTerms = [
  [-0.008598, 0.136152, 0.291357], [-0.415049, 0.639599, 3.028812], [15.655097, 0.392899, -22.640943], [-59.689584, -1.424169, 75.666364],
  [103.509006, 2.6275, -122.512551], [-84.086992, -2.156916, 94.888003], [26.0556, 0.6918, -28.537831],
];

/** A number from 0 to 1 as a CSS colour. */
export function cividis(t) {
  const parts = [0, 1, 2].map((i) => cividisTerms.reduce((sum, term, power) => sum + term[i] * t ** power, 0));
  return `rgb(${parts.map((v) => Math.round(255 * Math.min(1, Math.max(0, v)))).join(" ")})`;
}

export const fragmentShader = `
precision highp float;
precision highp int;
const int look = LOOK;
uniform int channel, normalKind, pickId, flagMaps, onlyMaterial;
uniform vec3 cameraPosition, objectColour, sun, sunDirection, irradiance[9], viewDirection;
uniform vec2 densityRange;
uniform float exposure, lightTurn, sheetSize, greenSign, flipV, checkerTexels, parallel, marked;
uniform sampler2D environment, colourMap, normalMap, roughnessMap, metalnessMap, occlusionMap, opacityMap, emissionMap, flatMap, materials;
uniform vec4 channels;
uniform vec3 emission;
uniform float threshold, isDeep;
uniform vec4 dielectric, through;
uniform vec2 coat;
uniform mat3 uvTransform;
uniform vec3 environmentSize;
in vec3 vNormal, vWorld;
in vec4 vTangent, vColour;
in vec2 vUv;
in float vDensity;
flat in int vMaterial;
out vec4 colourOut;

const float PI = 3.14159265;

vec3 encode(vec3 c) {
  return mix(1.055 * pow(max(c, 0.0031308), vec3(1.0 / 2.4)) - 0.055, 12.92 * c, lessThanEqual(c, vec3(0.0031308)));
}

// Below 0.76 nothing is changed; brighter light is rolled off towards white, hue kept.
vec3 rollOff(vec3 c) {
  const float start = 0.76;
  float peak = max(c.r, max(c.g, c.b));
  if (peak < start) return c;
  float d = 1.0 - start, squeezed = 1.0 - d * d / (peak + d - start);
  c *= squeezed / peak;
  return mix(c, vec3(squeezed), 1.0 - 1.0 / (0.15 * (peak - squeezed) + 1.0));
}

vec3 turned(vec3 d) {
  float s = sin(lightTurn), c = cos(lightTurn);
  return vec3(c * d.x - s * d.z, d.y, s * d.x + c * d.z);
}

vec3 fromSky(vec3 n) {
  return irradiance[0] + irradiance[1] * n.y + irradiance[2] * n.z + irradiance[3] * n.x + irradiance[4] * n.x * n.y
    + irradiance[5] * n.y * n.z + irradiance[6] * (3.0 * n.z * n.z - 1.0) + irradiance[7] * n.x * n.z + irradiance[8] * (n.x * n.x - n.y * n.y);
}

vec3 skyAt(vec3 d, float level) {
  vec2 at = vec2(atan(d.x, -d.z) / (2.0 * PI), acos(clamp(d.y, -1.0, 1.0)) / PI);
  at.y = (clamp(at.y * environmentSize.y, 0.5, environmentSize.y - 0.5) / environmentSize.y + level) / environmentSize.z;
  return textureLod(environment, at, 0.0).rgb;
}

vec3 mirrored(vec3 d, float roughness) {
  float at = roughness * (environmentSize.z - 1.0), low = floor(at);
  return mix(skyAt(d, low), skyAt(d, min(low + 1.0, environmentSize.z - 1.0)), at - low);
}

// Share of F0 and of white that a rough surface mirrors of an even sky: the analytic fit of the split sum's second half.
vec2 mirrorShares(float roughness, float nv) {
  vec4 r = roughness * vec4(-1.0, -0.0275, -0.572, 0.022) + vec4(1.0, 0.0425, 1.04, -0.04);
  float a = min(r.x * r.x, exp2(-9.28 * nv)) * r.x + r.y;
  return max(vec2(-1.04, 1.04) * a + r.zw, 0.0);
}

// What a rough surface mirrors of a light, times pi.
vec3 highlight(vec3 n, vec3 v, vec3 l, float roughness, vec3 f0, float f90) {
  float nv = max(dot(n, v), 1e-3), nl = max(dot(n, l), 0.0);
  vec3 h = normalize(l + v);
  float nh = max(dot(n, h), 0.0), alpha = max(roughness * roughness, 2e-3), a2 = alpha * alpha;
  float spread = nh * nh * (a2 - 1.0) + 1.0;
  float d = a2 / (PI * spread * spread), g = 0.5 / (nl * sqrt(nv * nv * (1.0 - a2) + a2) + nv * sqrt(nl * nl * (1.0 - a2) + a2) + 1e-5);
  return d * g * PI * (f0 + (f90 - f0) * pow(1.0 - max(dot(v, h), 0.0), 5.0));
}

vec3 lit(vec3 base, float metalness, float roughness, vec3 n, vec3 v, float openness) {
  vec3 f0 = mix(dielectric.rgb, base, metalness), l = sunDirection;
  float f90 = mix(dielectric.a, 1.0, metalness), s = sin(-lightTurn), c = cos(-lightTurn);
  l = vec3(c * l.x - s * l.z, l.y, s * l.x + c * l.z);
  vec2 shares = mirrorShares(roughness, max(dot(n, v), 1e-3));
  vec3 mirror = f0 * shares.x + f90 * shares.y, diffuse = base * (1.0 - metalness) * (1.0 - mirror);
  // Light that comes from behind: through a thin wall as from there, from the depth softly from all around.
  vec3 passed = diffuse * through.rgb * through.a;
  diffuse *= 1.0 - through.a;
  vec3 before = max(fromSky(turned(n)), 0.0), behind = max(fromSky(turned(-n)), 0.0);
  vec3 sky = diffuse * before + passed * mix(behind, 0.5 * (before + behind), isDeep) + mirror * mirrored(turned(reflect(-v, n)), roughness);
  float nl = dot(n, l), from = mix(max(-nl, 0.0), max((nl + 0.5) / 2.25, 0.0), isDeep);
  nl = max(nl, 0.0);
  vec3 direct = sun * mix(1.0, openness, 0.5);
  vec3 light = sky * openness + direct * (nl * (diffuse + highlight(n, v, l, roughness, f0, f90)) + from * passed);
  if (coat.x <= 0.0) return light;
  // The coat lies on the surface itself, not in its normal map.
  vec3 smoothN = normalize(vNormal) * (gl_FrontFacing ? 1.0 : -1.0);
  float nv = max(dot(smoothN, v), 1e-3), taken = coat.x * (0.04 + 0.96 * pow(1.0 - nv, 5.0)), rough = max(coat.y, 0.03);
  shares = mirrorShares(rough, nv);
  vec3 over = (0.04 * shares.x + shares.y) * mirrored(turned(reflect(-v, smoothN)), rough) * openness
    + direct * max(dot(smoothN, l), 0.0) * highlight(smoothN, v, l, rough, vec3(0.04), 1.0);
  return light * (1.0 - taken) + coat.x * over;
}

vec3 pattern(vec2 uv) {
  // Squares of whole texels; every fourth line heavier, and a flag in each square that tells turned and mirrored islands.
  vec2 at = uv * sheetSize / checkerTexels, cell = floor(at), inside = at - cell;
  float shade = mod(cell.x + cell.y, 2.0) < 0.5 ? 0.62 : 0.36;
  bool flag = inside.x > 0.18 && inside.y > 0.18 && inside.x + inside.y < 0.82 && inside.y < 0.82 - inside.x * 0.35;
  if (flag) shade += shade > 0.5 ? -0.1 : 0.12;
  vec2 block = abs(fract(at / 4.0 + 0.5) - 0.5) * 4.0;
  if (min(block.x, block.y) < 0.07) shade = 0.12;
  return vec3(shade);
}

vec3 scale(float t) {
  t = clamp(t, 0.0, 1.0);
  vec3 sum = vec3(0.0);
  ${[...cividisTerms].reverse().map((c) => `sum = sum * t + vec3(${c.join(", ")});`).join("\n  ")}
  return clamp(sum, 0.0, 1.0);
}

void main() {
  if (onlyMaterial >= 0 && vMaterial != onlyMaterial) discard;
  vec3 v = parallel > 0.5 ? viewDirection : normalize(cameraPosition - vWorld);
  vec3 n = normalize(vNormal);
  if (!gl_FrontFacing) n = -n;
  if (look == 10) {
    colourOut = vec4(float(pickId & 255), float((pickId >> 8) & 255), float((pickId >> 16) & 255), 255.0) / 255.0;
    return;
  }
  vec2 uv = (uvTransform * vec3(vUv, 1.0)).xy;
  uv.y = mix(uv.y, 1.0 - uv.y, flipV);
  vec3 result;
  float opacity = 1.0;
  if (look == 0) result = lit(vec3(0.6, 0.565, 0.49), 0.0, 0.62, n, v, 1.0);
  else if (look == 1) {
    vec4 base = vec4(0.5, 0.5, 0.5, 1.0), more = vec4(0.6, 0.0, 0.0, 0.0);
    if (vMaterial >= 0) { base = texelFetch(materials, ivec2(vMaterial, 0), 0); more = texelFetch(materials, ivec2(vMaterial, 1), 0); }
    result = lit(base.rgb, more.y, more.x, n, v, 1.0);
  } else if (look == 2) {
    result = lit(vec3(0.5), 0.0, 0.8, n, v, 1.0);
    // The inside of a surface is hatched, so that it is told without colour too.
    if (!gl_FrontFacing) result = mod(gl_FragCoord.x + gl_FragCoord.y, 12.0) < 6.0 ? vec3(0.36, 0.02, 0.05) : vec3(0.85, 0.6, 0.55);
  } else if (look == 3) { colourOut = vec4(normalize(vNormal) * 0.5 + 0.5, 1.0); return; }
  else if (look == 4) result = lit(objectColour, 0.0, 0.8, n, v, 1.0);
  else if (look == 5) result = lit(vColour.rgb, 0.0, 0.9, n, v, 1.0);
  else if (look == 6) result = lit(pattern(vUv), 0.0, 0.9, n, v, 1.0);
  else if (look == 7) {
    float share = (vDensity * sheetSize - densityRange.x) / (densityRange.y - densityRange.x);
    colourOut = vec4(scale(share) * (0.72 + 0.28 * max(dot(n, v), 0.0)), 1.0);
    return;
  }
  else if (look == 8) {
    vec4 t = texture(flatMap, uv);
    colourOut = vec4(channel == 4 ? t.rgb : vec3(channel == 0 ? t.r : channel == 1 ? t.g : channel == 2 ? t.b : t.a), 1.0);
    return;
  } else {
    vec3 base = vec3(0.6, 0.565, 0.49);
    float roughness = 0.62, metalness = 0.0, openness = 1.0;
    if ((flagMaps & 1) != 0) base = texture(colourMap, uv).rgb;
    if ((flagMaps & 2) != 0) roughness = texture(roughnessMap, uv)[int(channels.y)];
    if ((flagMaps & 4) != 0) openness = texture(occlusionMap, uv)[int(channels.x)];
    if ((flagMaps & 8) != 0) metalness = texture(metalnessMap, uv)[int(channels.z)];
    if ((flagMaps & 16) != 0) {
      opacity = texture(opacityMap, uv)[int(channels.w)];
      if (opacity < threshold) discard;
      if (threshold >= 0.0) opacity = 1.0;
    }
    if (normalKind > 0) {
      vec3 t = texture(normalMap, uv).rgb * 2.0 - 1.0;
      if (normalKind == 2) t.z = sqrt(max(0.0, 1.0 - dot(t.xy, t.xy)));
      t.y *= greenSign;
      // The frame is used as it was interpolated, neither normalised nor made square: as it was baked.
      vec3 bitangent = vTangent.w * cross(vNormal, vTangent.xyz);
      n = normalize(t.x * vTangent.xyz + t.y * bitangent + t.z * vNormal);
      if (!gl_FrontFacing) n = -n;
    }
    result = lit(base, metalness, max(roughness, 0.03), n, v, openness);
    result += emission * ((flagMaps & 32) != 0 ? texture(emissionMap, uv).rgb : vec3(1.0));
  }
  result *= exposure;
  // The picked part is told by a warm rim.
  if (marked > 0.0) result = mix(result, vec3(1.0, 0.78, 0.07), marked * (0.12 + 0.75 * pow(1.0 - abs(dot(n, v)), 2.0)));
  colourOut = vec4(encode(rollOff(result)), opacity);
}`;

export const lineVertexShader = `
precision highp float;
uniform mat4 modelMatrix, viewMatrix, projectionMatrix;
uniform float bias;
in vec4 position;
void main() {
  gl_Position = projectionMatrix * viewMatrix * modelMatrix * vec4(position.xyz, 1.0);
  gl_Position.z -= bias * gl_Position.w;
}`;

export const lineFragmentShader = `
precision highp float;
uniform vec4 ink;
out vec4 colourOut;
void main() { colourOut = ink; }`;
