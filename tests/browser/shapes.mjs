// Shapes as OBJ uploads: spheres of radius 0.5 m, smooth or with dents, and cubes of 1 m without UVs.

/** @param file the file's name without its ending @returns a file for an upload */
export function cube(file, object = file) {
  const corners = Array.from({ length: 8 }, (_, i) => `v ${[0, 1, 1, 0][i % 4]} ${[0, 0, 1, 1][i % 4]} ${i >> 2}`);
  const faces = ["4 3 2 1", "5 6 7 8", "1 2 6 5", "2 3 7 6", "3 4 8 7", "4 1 5 8"].map((corner) => `f ${corner}`);
  return { name: `${file}.obj`, mimeType: "text/plain", buffer: Buffer.from([`o ${object}`, ...corners, ...faces, ""].join("\n")) };
}

/** @param dents how deep, metres; material its library and name; right how far to the right, metres @returns a file for an upload */
export function sphere(name, around, down, { dents = 0, material = "", right = 0 } = {}) {
  const lines = [`o ${name}`];
  if (material) lines.unshift(`mtllib ${material}`);
  const point = (i, j) => {
    const a = 2 * Math.PI * i / around, b = Math.PI * j / down, r = 0.5 - dents * (0.5 + 0.5 * Math.sin(9 * a) * Math.sin(8 * b)) * Math.sin(b);
    return [r * Math.sin(b) * Math.sin(a), r * Math.cos(b), r * Math.sin(b) * Math.cos(a)];
  };
  for (let j = 0; j <= down; j++)
    for (let i = 0; i <= around; i++) {
      const at = j === 0 || j === down ? point(0, j) : point(i % around, j);
      lines.push(`v ${at[0] + right} ${at[1]} ${at[2]}`, `vt ${i / around} ${1 - j / down}`);
      if (!dents) lines.push(`vn ${at.map((v) => 2 * v).join(" ")}`);
    }
  if (material) lines.push(`usemtl ${material.replace(".mtl", "")}`);
  const corner = (i) => (dents ? `${i}/${i}` : `${i}/${i}/${i}`), face = (...corners) => lines.push(`f ${corners.map(corner).join(" ")}`);
  for (let j = 0; j < down; j++)
    for (let i = 0; i < around; i++) {
      const a = j * (around + 1) + i + 1, b = a + 1, c = a + around + 1, d = c + 1;
      if (j < down - 1) face(a, c, d);
      if (j > 0) face(a, d, b);
    }
  return { name: `${name}.obj`, mimeType: "text/plain", buffer: Buffer.from(`${lines.join("\n")}\n`) };
}
