// One scene in both forms of Universal Scene Description, with every kind of value and of composition that is read.
import { writeCrate } from "./usd-crate.mjs";

const SIDES = 20;
const ring = [...Array(SIDES).keys()], turn = (i) => 2 * Math.PI * i / SIDES;
const points = [0, 1].flatMap((z) => ring.map((i) => [Math.fround(4 * Math.cos(turn(i))), Math.fround(4 * Math.sin(turn(i))), 30 * z]));
const counts = ring.map(() => 4), indices = ring.flatMap((i) => [i, (i + 1) % SIDES, SIDES + (i + 1) % SIDES, SIDES + i]);
const st = [0, 1].flatMap((v) => [...ring, SIDES].map((i) => [i / 32, v / 2])), stIndices = ring.flatMap((i) => [i, i + 1, SIDES + 2 + i, SIDES + 1 + i]);
const normals = points.map(([x, y]) => [Math.fround(x / 4), Math.fround(y / 4), 0]);
const weights = points.map((_, i) => [0.25, 0.5, 1][i % 3]), steps = points.map((_, i) => i * i - 7);
const square = { counts: [4], indices: [0, 1, 2, 3], points: [[0, 0, 0], [2, 0, 0], [2, 1, 0], [0, 1, 0]] };

const tuple = (v) => `(${v.join(", ")})`, tuples = (vs) => `[${vs.map(tuple).join(", ")}]`;
const shape = ({ counts, indices, points }) => `int[] faceVertexCounts = [${counts.join(", ")}]
  int[] faceVertexIndices = [${indices.join(", ")}]
  point3f[] points = ${tuples(points)}
  uniform token subdivisionScheme = "none"`;

/** The scene as text. */
export const text = `#usda 1.0
(
  defaultPrim = "World"
  metersPerUnit = 0.01
  upAxis = "Z"
)
class "_part" {
  bool doubleSided = 1
  color3f[] primvars:displayColor = [(1, 0, 0), (0, 1, 0), (0, 0, 1), (1, 1, 1)] (
    interpolation = "vertex"
  )
}
class Scope "Parts" {
  def Mesh "plate" ( inherits = </_part> ) {
    ${shape(square)}
    half3[] normals = [(0, 0, 1), (0, 0, 1), (0, 0.5, 1), (0, 0, 1)]
  }
}
def Xform "World" {
  double3 xformOp:translate = (10.5, 2, 3)
  quatf xformOp:orient = (0.8, 0, 0.6, 0)
  float3 xformOp:scale = (1, 2, 1)
  uniform token[] xformOpOrder = ["xformOp:translate", "xformOp:orient", "xformOp:scale"]
  def Mesh "tube_low" ( prepend apiSchemas = ["MaterialBindingAPI"] ) {
    ${shape({ counts, indices, points })}
    normal3f[] normals = ${tuples(normals)} ( interpolation = "vertex" )
    texCoord2f[] primvars:st = ${tuples(st)} ( interpolation = "faceVarying" )
    int[] primvars:st:indices = [${stIndices.join(", ")}]
    float[] primvars:weight = [${weights.join(", ")}]
    float[] primvars:step = [${steps.join(", ")}]
    string note = "turned on the lathe"
    rel material:binding = </World/brass>
  }
  def Mesh "tube_high" {
    ${shape({ counts, indices, points })}
    double3 xformOp:translate.timeSamples = { 5: (0, 0, 9), 1: (0, 0, -2), 0: None }
    matrix4d xformOp:transform = ((1, 0, 0, 0), (0, 2, 0, 0), (0, 0, 1, 0), (0, 0, 0, 1))
    uniform token[] xformOpOrder = ["xformOp:translate", "xformOp:transform"]
    rel material:binding = </World/brass>
  }
  def "plate_high" ( references = </Parts/plate> customData = { string by = "hand" } ) {
    matrix4d xformOp:transform = ((0, 1, 0, 0), (-1, 0, 0, 0), (0, 0, 1, 0), (0.5, 40, 0.25, 1))
    uniform token[] xformOpOrder = ["xformOp:transform"]
  }
  def "plate_low" ( payload = </Parts/plate> ) {
  }
  def Xform "bolt" ( variants = { string length = "long" } variantSets = "length" ) {
    variantSet "length" = {
      "long" {
        double xformOp:translateX = 7.1
        uniform token[] xformOpOrder = ["xformOp:translateX"]
        def Mesh "bolt_low" { ${shape(square)} }
      }
      "short" {
        def Mesh "stub_low" { ${shape(square)} }
      }
    }
  }
  def Material "brass" {
    token outputs:surface.connect = </World/brass/surface.outputs:surface>
    def Shader "surface" {
      uniform token info:id = "UsdPreviewSurface"
      color3f inputs:diffuseColor = (0.75, 0.5, 0.25)
      color3f inputs:emissiveColor = (0, 0, 0)
      float inputs:metallic = 1
      float inputs:roughness = 0.3
      normal3f inputs:normal.connect = </World/brass/normal.outputs:rgb>
      token outputs:surface
    }
    def Shader "normal" {
      uniform token info:id = "UsdUVTexture"
      asset inputs:file = @brass_normal.png@
      float3 outputs:rgb
    }
  }
}
`;

const prim = (path, type, more = {}, specifier = "def") => ({ path, type: "prim", fields: { specifier: ["specifier", specifier], ...(type && { typeName: ["token", type] }), ...more } });
const attribute = (path, type, value, more = {}) => ({ path, type: "attribute", fields: { typeName: ["token", type], ...(value && { default: value }), ...more } });
const relation = (path, to) => ({ path, type: "relationship", fields: { targetPaths: ["pathList", { isWhole: true, whole: [to] }] } });
const order = (path, ...ops) => attribute(`${path}.xformOpOrder`, "token[]", ["token", ops, "array"], { variability: ["token", "uniform"] });
const mesh = (path, { counts, indices, points }) => [
  attribute(`${path}.faceVertexCounts`, "int[]", ["int", counts, "array", counts.length >= 16 && "integers"]),
  attribute(`${path}.faceVertexIndices`, "int[]", ["int", indices, "array", indices.length >= 16 && "integers"]),
  attribute(`${path}.points`, "point3f[]", ["float3", points, "array"]),
  attribute(`${path}.subdivisionScheme`, "token", ["token", "none"]),
];

/** What the binary form states; without what `composes` and pictures, which not every reader can do here. */
export const specs = ({ composes = true } = {}) => [
  { path: "/", type: "root", fields: { defaultPrim: ["token", "World"], metersPerUnit: ["double", 0.01], upAxis: ["token", "Z"],
    primChildren: ["tokenVector", composes ? ["_part", "Parts", "World"] : ["World"]] } },
  ...composes ? [
    prim("/_part", "", {}, "class"),
    attribute("/_part.doubleSided", "bool", ["bool", true]),
    attribute("/_part.primvars:displayColor", "color3f[]", ["float3", [[1, 0, 0], [0, 1, 0], [0, 0, 1], [1, 1, 1]], "array"], { interpolation: ["token", "vertex"] }),
    prim("/Parts", "Scope", {}, "class"),
    prim("/Parts/plate", "Mesh", { inheritPaths: ["pathList", { before: ["/_part"] }] }),
    ...mesh("/Parts/plate", square),
    attribute("/Parts/plate.normals", "half3[]", ["half3", [[0, 0, 1], [0, 0, 1], [0, 0.5, 1], [0, 0, 1]], "array"]),
  ] : [],
  // The order of prims is said by their parent.
  prim("/World", "Xform", { primChildren: ["tokenVector", ["tube_low", "tube_high", ...composes ? ["plate_high", "plate_low", "bolt"] : [], "brass"]] }),
  attribute("/World.xformOp:translate", "double3", ["double3", [10.5, 2, 3]]),
  attribute("/World.xformOp:orient", "quatf", ["quatf", [0, 0.6, 0, 0.8]]),
  attribute("/World.xformOp:scale", "float3", ["float3", [1, 2, 1]]),
  order("/World", "xformOp:translate", "xformOp:orient", "xformOp:scale"),
  ...composes ? [
    prim("/World/bolt", "Xform", { variantSelection: ["choices", { length: "long" }] }),
    { path: "/World/bolt{length=long}", type: "variant", fields: {} },
    attribute("/World/bolt{length=long}.xformOp:translateX", "double", ["double", 7.1]),
    order("/World/bolt{length=long}", "xformOp:translateX"),
    prim("/World/bolt{length=long}bolt_low", "Mesh"),
    ...mesh("/World/bolt{length=long}bolt_low", square),
    { path: "/World/bolt{length=short}", type: "variant", fields: {} },
    prim("/World/bolt{length=short}stub_low", "Mesh"),
    ...mesh("/World/bolt{length=short}stub_low", square),
    prim("/World/plate_low", "", { payload: ["payloadList", { before: [{ path: "/Parts/plate" }] }] }),
    prim("/World/plate_high", "", { references: ["referenceList", { isWhole: true, whole: [{ path: "/Parts/plate", custom: "hand" }] }] }),
    attribute("/World/plate_high.xformOp:transform", "matrix4d", ["matrix4d", [0, 1, 0, 0, -1, 0, 0, 0, 0, 0, 1, 0, 0.5, 40, 0.25, 1]]),
    order("/World/plate_high", "xformOp:transform"),
  ] : [],
  prim("/World/tube_high", "Mesh"),
  ...mesh("/World/tube_high", { counts, indices, points }),
  attribute("/World/tube_high.xformOp:translate", "double3", composes ? null : ["double3", [0, 0, -2.5]],
    composes ? { timeSamples: ["samples", [[5, ["double3", [0, 0, 9]]], [1, ["double3", [0, 0, -2]]], [0, ["blocked"]]]] } : {}),
  attribute("/World/tube_high.xformOp:transform", "matrix4d", ["matrix4d", [1, 0, 0, 0, 0, 2, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1]]),
  order("/World/tube_high", "xformOp:translate", "xformOp:transform"),
  relation("/World/tube_high.material:binding", "/World/brass"),
  prim("/World/tube_low", "Mesh", { apiSchemas: ["tokenList", { before: ["MaterialBindingAPI"] }] }),
  ...mesh("/World/tube_low", { counts, indices, points }),
  attribute("/World/tube_low.normals", "normal3f[]", ["float3", normals, "array"], { interpolation: ["token", "vertex"] }),
  attribute("/World/tube_low.primvars:st", "texCoord2f[]", ["float2", st, "array"], { interpolation: ["token", "faceVarying"] }),
  attribute("/World/tube_low.primvars:st:indices", "int[]", ["int", stIndices, "array", "integers"]),
  attribute("/World/tube_low.primvars:weight", "float[]", ["float", weights, "array", "table"]),
  attribute("/World/tube_low.primvars:step", "float[]", ["float", steps, "array", "integers"]),
  attribute("/World/tube_low.note", "string", ["string", "turned on the lathe"]),
  relation("/World/tube_low.material:binding", "/World/brass"),
  prim("/World/brass", "Material"),
  attribute("/World/brass.outputs:surface", "token", null, { connectionPaths: ["pathList", { isWhole: true, whole: ["/World/brass/surface.outputs:surface"] }] }),
  prim("/World/brass/surface", "Shader"),
  attribute("/World/brass/surface.info:id", "token", ["token", "UsdPreviewSurface"]),
  attribute("/World/brass/surface.inputs:diffuseColor", "color3f", ["float3", [0.75, 0.5, 0.25]]),
  attribute("/World/brass/surface.inputs:emissiveColor", "color3f", ["float3", [0, 0, 0]]),
  attribute("/World/brass/surface.inputs:metallic", "float", ["float", 1]),
  attribute("/World/brass/surface.inputs:roughness", "float", ["float", 0.3]),
  attribute("/World/brass/surface.outputs:surface", "token"),
  ...composes ? [
    attribute("/World/brass/surface.inputs:normal", "normal3f", null, { connectionPaths: ["pathList", { before: ["/World/brass/normal.outputs:rgb"] }] }),
    prim("/World/brass/normal", "Shader"),
    attribute("/World/brass/normal.info:id", "token", ["token", "UsdUVTexture"]),
    attribute("/World/brass/normal.inputs:file", "asset", ["asset", "brass_normal.png"]),
    attribute("/World/brass/normal.outputs:rgb", "float3"),
  ] : [],
];

/** The scene in the binary form. */
export const crate = (minor) => writeCrate(specs(), minor);
