// Spheres of radius 0.5 m as OBJ uploads, smooth or with dents.

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
