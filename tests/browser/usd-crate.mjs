// Writes layers of Universal Scene Description in their binary form, to test readers with: every kind of value and packing.

const INLINED = 1n << 62n, ARRAY = 1n << 63n, PACKED = 1n << 61n;
const NUMBERS = {
  bool: [1, 1, "u8"], int: [3, 1, "i32"], uint: [4, 1, "u32"], half: [7, 1, "f16"], float: [8, 1, "f32"], double: [9, 1, "f64"], matrix4d: [15, 16, "f64"],
  quatf: [17, 4, "f32"], float2: [20, 2, "f32"], half2: [21, 2, "f16"], double3: [23, 3, "f64"], float3: [24, 3, "f32"], half3: [25, 3, "f16"],
};
const KINDS = { string: 10, token: 11, asset: 12, tokenList: 32, pathList: 34, referenceList: 35, pathVector: 40, tokenVector: 41, specifier: 42,
  choices: 45, samples: 46, doubleVector: 48, stringVector: 50, blocked: 51, payloadList: 55 };
export const SPECS = { attribute: 1, prim: 6, root: 7, relationship: 8, variant: 10 };
const LISTED = { isWhole: 1, whole: 2, added: 4, removed: 8, before: 32, behind: 64 };

class Bytes {
  parts = [];
  length = 0;
  put(buffer) { this.parts.push(buffer); this.length += buffer.length; return this; }
  of(size, write) { const b = Buffer.alloc(size); write(b); return this.put(b); }
  u8(v) { return this.of(1, (b) => b.writeUInt8(v)); }
  i32(v) { return this.of(4, (b) => b.writeInt32LE(v)); }
  u32(v) { return this.of(4, (b) => b.writeUInt32LE(v)); }
  i64(v) { return this.of(8, (b) => b.writeBigInt64LE(BigInt(v))); }
  u64(v) { return this.of(8, (b) => b.writeBigUInt64LE(BigInt(v))); }
  f32(v) { return this.of(4, (b) => b.writeFloatLE(v)); }
  f64(v) { return this.of(8, (b) => b.writeDoubleLE(v)); }
  f16(v) { return this.of(2, (b) => b.writeUInt16LE(half(v))); }
  done() { return Buffer.concat(this.parts); }
}

// Exact for what tests write: numbers that 11 bits hold.
function half(v) {
  if (v === 0) return 0;
  const exponent = Math.floor(Math.log2(Math.abs(v)));
  return (v < 0 ? 0x8000 : 0) | ((exponent + 15) << 10) | Math.round((Math.abs(v) / 2 ** exponent - 1) * 1024);
}

/** An LZ4 block behind the byte that says it is one piece. */
function packed(from) {
  const out = new Bytes().u8(0), last = new Map();
  const length = (n) => { for (n -= 15; n >= 255; n -= 255) out.u8(255); out.u8(n); };
  const sequence = (literals, match, back) => {
    out.u8((Math.min(literals.length, 15) << 4) | (match ? Math.min(match - 4, 15) : 0));
    if (literals.length >= 15) length(literals.length);
    out.put(literals);
    if (!match) return;
    out.u8(back & 255).u8(back >> 8);
    if (match - 4 >= 15) length(match - 4);
  };
  let start = 0, at = 0;
  // The format wants the last 5 bytes as they are, and no match within the last 12.
  while (at < from.length - 12) {
    const key = from.readUInt32LE(at), found = last.get(key);
    last.set(key, at);
    if (found === undefined || at - found > 65535) { at++; continue; }
    let match = 4;
    while (at + match < from.length - 5 && from[at + match] === from[found + match]) match++;
    sequence(from.subarray(start, at), match, at - found);
    start = at += match;
  }
  sequence(from.subarray(start), 0, 0);
  return out.done();
}

/** Differences, of which the commonest takes two bits. */
function integers(values) {
  const steps = values.map((v, i) => (v - (i ? values[i - 1] : 0)) | 0), times = new Map();
  for (const s of steps) times.set(s, (times.get(s) ?? 0) + 1);
  const common = [...times].sort((a, b) => b[1] - a[1])[0]?.[0] ?? 0;
  const codes = Buffer.alloc(Math.ceil(values.length / 4)), rest = new Bytes();
  steps.forEach((s, i) => {
    const code = s === common ? 0 : s === s << 24 >> 24 ? 1 : s === s << 16 >> 16 ? 2 : 3;
    codes[i >> 2] |= code << (2 * (i & 3));
    if (code) rest.of(code === 3 ? 4 : code, (b) => b.writeIntLE(s, 0, b.length));
  });
  const bytes = packed(Buffer.concat([new Bytes().i32(common).done(), codes, rest.done()]));
  return new Bytes().u64(bytes.length).put(bytes).done();
}

/**
 * A layer.
 * @param specs Things it states: `{ path, type, fields }`, where a field is `[kind, value]`, `[kind, values, "array"]` or, with the packing
 * an array is to have where the version knows it, `[kind, values, "array", "integers" | "table"]`. Parents stand before what is below them.
 * @param minor Version behind the 0.
 */
export function writeCrate(specs, minor = 8) {
  const tokens = new Map(), strings = new Map(), paths = new Map(), out = new Bytes().put(Buffer.alloc(88)), written = new Map();
  const known = (map, key) => map.get(key) ?? (map.set(key, map.size), map.size - 1);
  const token = (word) => known(tokens, word), string = (text) => { token(text); return known(strings, text); };
  // Place 0 would have no sign.
  token(";-)");
  for (const { path } of specs) known(paths, path);
  const pathOf = (path) => known(paths, path);
  const rep = (kind, payload, flags = 0n) => flags | (BigInt(kind) << 48n) | BigInt(payload);
  const list = (items, each) => { const b = new Bytes().u64(items.length); for (const item of items) each(b, item); return b.done(); };
  const listed = (lists, each) => {
    const b = new Bytes().u8(Object.keys(lists).reduce((bits, k) => bits | LISTED[k], 0));
    for (const which of ["whole", "added", "before", "behind", "removed"]) if (Array.isArray(lists[which])) b.put(list(lists[which], each));
    return b.done();
  };
  const target = (b, { asset = "", path = "", custom }, isReference) => {
    b.u32(string(asset)).u32(pathOf(path || "/"));
    if (isReference || minor >= 8) b.f64(0).f64(1);
    if (!isReference) return;
    b.u64(custom ? 1 : 0);
    // A key, how far it is to the reference over the value between, and the reference.
    if (custom) b.u32(string("note")).i64(8 + 4).u32(7).put(u64(rep(KINDS.token, token(custom), INLINED)));
  };
  const u64 = (v) => new Bytes().u64(v).done();
  const numbers = ([, , how], values) => { const b = new Bytes(); for (const v of values.flat()) b[how](v); return b.done(); };
  const stored = (kind, bytes, flags = 0n) => {
    const key = `${kind} ${flags} ${bytes.toString("base64")}`;
    if (!written.has(key)) { written.set(key, rep(kind, out.length, flags)); out.put(bytes); }
    return written.get(key);
  };

  function array(kind, values, packing) {
    if (!values.length) return rep(NUMBERS[kind]?.[0] ?? KINDS[kind], 0, ARRAY);
    const head = new Bytes();
    if (minor < 5) head.u32(1);
    if (minor < 7) head.u32(values.length); else head.u64(values.length);
    if (kind === "token" || kind === "string") return stored(KINDS[kind], head.put(Buffer.concat(values.map((v) => new Bytes().u32(kind === "token" ? token(v) : string(v)).done()))).done(), ARRAY);
    const layout = NUMBERS[kind];
    const isInteger = kind === "int" || kind === "uint";
    if (!packing || minor < (isInteger ? 5 : 6)) return stored(layout[0], head.put(numbers(layout, values)).done(), ARRAY);
    if (isInteger) return stored(layout[0], head.put(integers(values)).done(), ARRAY | PACKED);
    const table = [...new Set(values)];
    head.u8((packing === "table" ? "t" : "i").charCodeAt(0));
    if (packing === "table") head.u32(table.length).put(numbers(layout, table));
    return stored(layout[0], head.put(integers(packing === "table" ? values.map((v) => table.indexOf(v)) : values)).done(), ARRAY | PACKED);
  }

  function value([kind, v, isArray, packing]) {
    if (isArray) return array(kind, v, packing);
    const f32 = (n) => new Bytes().f32(n).done().readUInt32LE(), bytes = (ns) => ns.reduce((bits, n, i) => (bits | ((n & 255) << (8 * i))) >>> 0, 0);
    switch (kind) {
      case "token": case "asset": return rep(KINDS[kind], token(v), INLINED);
      case "string": return rep(KINDS[kind], string(v), INLINED);
      case "specifier": return rep(KINDS[kind], ["def", "over", "class"].indexOf(v), INLINED);
      case "blocked": return rep(KINDS[kind], 0, INLINED);
      case "int": case "bool": case "uint": return rep(NUMBERS[kind][0], new Bytes().i32(Number(v)).done().readUInt32LE(), INLINED);
      case "half": return rep(NUMBERS[kind][0], half(v), INLINED);
      case "float": return rep(NUMBERS[kind][0], f32(v), INLINED);
      case "double": return Math.fround(v) === v ? rep(NUMBERS[kind][0], f32(v), INLINED) : stored(NUMBERS[kind][0], new Bytes().f64(v).done());
      case "half2": return rep(NUMBERS[kind][0], half(v[0]) + half(v[1]) * 65536, INLINED);
      case "float2": case "float3": case "double3": return v.every((n) => n === n << 24 >> 24) ? rep(NUMBERS[kind][0], bytes(v), INLINED)
        : stored(NUMBERS[kind][0], numbers(NUMBERS[kind], v));
      case "matrix4d": return v.every((n, i) => n === (i % 5 ? 0 : n << 24 >> 24)) ? rep(NUMBERS[kind][0], bytes([v[0], v[5], v[10], v[15]]), INLINED)
        : stored(NUMBERS[kind][0], numbers(NUMBERS[kind], v));
      case "tokenVector": return stored(KINDS[kind], list(v, (b, t) => b.u32(token(t))));
      case "stringVector": return stored(KINDS[kind], list(v, (b, t) => b.u32(string(t))));
      case "pathVector": return stored(KINDS[kind], list(v, (b, t) => b.u32(pathOf(t))));
      case "doubleVector": return stored(KINDS[kind], list(v, (b, t) => b.f64(t)));
      case "tokenList": return stored(KINDS[kind], listed(v, (b, t) => b.u32(token(t))));
      case "pathList": return stored(KINDS[kind], listed(v, (b, t) => b.u32(pathOf(t))));
      case "referenceList": return stored(KINDS[kind], listed(v, (b, t) => target(b, t, true)));
      case "payloadList": return stored(KINDS[kind], listed(v, (b, t) => target(b, t, false)));
      case "choices": return stored(KINDS[kind], list(Object.entries(v), (b, [k, c]) => b.u32(string(k)).u32(string(c))));
      case "samples": {
        const times = value(["doubleVector", v.map(([t]) => t)]), values = v.map(([, s]) => value(s));
        return stored(KINDS[kind], Buffer.concat([new Bytes().i64(8).put(u64(times)).i64(8).u64(values.length).done(), ...values.map(u64)]));
      }
      default: return stored(NUMBERS[kind][0], numbers(NUMBERS[kind], v));
    }
  }

  const fields = new Map(), sets = [], rows = specs.map(({ path, type, fields: own }) => {
    const set = sets.length;
    for (const [name, given] of Object.entries(own)) sets.push(known(fields, `${token(name)} ${value(given)}`));
    sets.push(-1);
    return [pathOf(path), set, SPECS[type]];
  });

  // Paths as a tree in depth: places, words (less than 0 for properties), and how far the next sibling is.
  const above = (path) => path.includes(".") ? path.slice(0, path.lastIndexOf(".")) : path.endsWith("}") ? path.slice(0, path.lastIndexOf("{"))
    : path.slice(0, Math.max(path.lastIndexOf("/"), path.lastIndexOf("}") + 1)) || "/";
  for (const path of [...paths.keys()]) for (let p = path; p !== "/"; p = above(p)) known(paths, above(p));
  const below = new Map([...paths.keys()].map((p) => [p, []]));
  for (const path of paths.keys()) if (path !== "/") below.get(above(path)).push(path);
  const places = [], words = [], jumps = [];
  (function put(path, hasSibling) {
    const at = places.length, parent = path === "/" ? "" : above(path), element = path.slice(parent === "/" ? 1 : parent.length).replace(/^[/.]/, ""), children = below.get(path);
    places.push(paths.get(path));
    words.push(path === "/" ? 0 : token(element) * (path.slice(parent.length)[0] === "." ? -1 : 1));
    jumps.push(0);
    children.forEach((c, i) => put(c, i < children.length - 1));
    jumps[at] = children.length ? hasSibling ? places.length - at : -1 : hasSibling ? 0 : -2;
  })("/", false);

  const sections = [], section = (name, bytes) => { sections.push([name, out.length, bytes.length]); out.put(bytes); };
  const counted = (n, ...parts) => Buffer.concat([u64(n), ...parts]);
  const fieldRows = [...fields.keys()].map((k) => k.split(" "));
  const text = Buffer.from([...tokens.keys()].map((t) => t + "\0").join("")), textPacked = packed(text);
  section("TOKENS", new Bytes().u64(tokens.size).u64(text.length).u64(textPacked.length).put(textPacked).done());
  section("STRINGS", list([...strings.keys()], (b, s) => b.u32(tokens.get(s))));
  const reps = packed(Buffer.concat(fieldRows.map(([, r]) => u64(BigInt(r)))));
  section("FIELDS", counted(fieldRows.length, integers(fieldRows.map(([t]) => Number(t))), u64(reps.length), reps));
  section("FIELDSETS", counted(sets.length, integers(sets)));
  section("PATHS", counted(paths.size, u64(places.length), integers(places), integers(words), integers(jumps)));
  section("SPECS", counted(rows.length, ...[0, 1, 2].map((c) => integers(rows.map((r) => r[c])))));
  const contents = out.length;
  out.u64(sections.length);
  for (const [name, start, size] of sections) out.put(Buffer.from(name.padEnd(16, "\0"))).u64(start).u64(size);
  const file = out.done();
  file.write("PXR-USDC");
  file[9] = minor;
  file.writeBigUInt64LE(BigInt(contents), 16);
  return file;
}
