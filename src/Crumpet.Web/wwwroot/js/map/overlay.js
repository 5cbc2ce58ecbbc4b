// What is drawn over texels: UV wires, faults, the mark of the other viewer, the seam, and texels' numbers when they are large.

const numbersFrom = 46;

export class Overlay {
  constructor(canvas) {
    this.canvas = canvas;
    this.paths = null;
  }

  /** Takes the low side's UVs. */
  takeUvs(preview) {
    this.paths = preview.objects.filter((o) => o.levels[0].uv).flatMap((o) => {
      const { uv, index, position } = o.levels[0], byMaterial = new Map();
      for (let i = 0; i < index.length; i += 3) {
        const material = position[4 * index[i] + 3] - 1;
        if (!byMaterial.has(material)) byMaterial.set(material, new Path2D());
        const path = byMaterial.get(material);
        path.moveTo(uv[2 * index[i]], 1 - uv[2 * index[i] + 1]);
        for (const corner of [1, 2]) path.lineTo(uv[2 * index[i + corner]], 1 - uv[2 * index[i + corner] + 1]);
        path.closePath();
      }
      return [...byMaterial].map(([material, path]) => ({ part: o.part, name: o.name, material, path }));
    });
  }

  draw(map, ratio) {
    const { canvas } = this, { view } = map, w = canvas.clientWidth, h = canvas.clientHeight;
    if (canvas.width !== Math.round(w * ratio) || canvas.height !== Math.round(h * ratio)) Object.assign(canvas,
      { width: Math.round(w * ratio), height: Math.round(h * ratio) });
    const context = canvas.getContext("2d");
    context.setTransform(ratio, 0, 0, ratio, 0, 0);
    context.clearRect(0, 0, w, h);
    const bare = !map.picture, side = view.width * view.scale;
    if (bare) {
      context.fillStyle = "#626262";
      context.fillRect(view.x, view.y, side, view.height * view.scale);
    }
    context.strokeStyle = "#f2f2f2";
    context.lineWidth = 1;
    if (bare || map.look.repeat) context.strokeRect(view.x + 0.5, view.y + 0.5, side, view.height * view.scale);
    map.blocks.draw(context, w, h);
    if (this.paths && (map.wires || bare)) this.islands(context, map, bare);
    if (map.picture && view.scale >= numbersFrom && !map.other) this.numbers(context, map, w, h);
    context.strokeStyle = "#ffe94a";
    context.lineWidth = 2;
    for (const r of map.shownRegions) {
      const pad = Math.max(0, 5 - Math.min(r.width, r.height) * view.scale) / 2 + 2;
      context.strokeRect(view.x + r.x * view.scale - pad, view.y + r.y * view.scale - pad, r.width * view.scale + 2 * pad, r.height * view.scale + 2 * pad);
    }
    if (map.mark) this.mark(context, view.x + map.mark[0] * side, view.y + (1 - map.mark[1]) * view.height * view.scale);
    if (map.compare === "wipe" && map.other) {
      context.fillStyle = "#f2f2f2";
      context.fillRect(Math.round(map.seam * w) - 1, 0, 2, h);
    }
  }

  islands(context, map, bare) {
    const { view } = map;
    context.save();
    context.translate(view.x, view.y);
    context.scale(view.width * view.scale, view.height * view.scale);
    const pixel = 1 / (view.width * view.scale);
    const only = map.picture?.choice.material ?? null;
    for (const { part, path, material } of this.paths) {
      if (only !== null && material !== only) continue;
      if (bare || part === map.picked) {
        context.fillStyle = part === map.picked ? (bare ? "#ffe94a" : "#ffe94a66") : "#d8d2c2";
        context.fill(path);
      }
      // Wires of narrow islands would hide them when seen from afar.
      const near = Math.min(1, 0.25 + view.scale);
      context.strokeStyle = bare ? `rgba(70, 82, 79, ${near})` : `rgba(255, 255, 255, ${0.35 + 0.5 * near})`;
      context.lineWidth = pixel * Math.min(1, 0.3 + view.scale / 2);
      context.stroke(path);
    }
    context.restore();
  }

  numbers(context, { picture, view, look }, w, h) {
    const x0 = Math.max(0, Math.floor(-view.x / view.scale)), x1 = Math.min(picture.width - 1, Math.floor((w - view.x) / view.scale));
    const y0 = Math.max(0, Math.floor(-view.y / view.scale)), y1 = Math.min(picture.height - 1, Math.floor((h - view.y) / view.scale));
    const size = Math.min(13, view.scale / (picture.bits === 8 ? 3.6 : 5));
    context.font = `${size}px "Atkinson Mono", monospace`;
    context.textAlign = "center";
    context.textBaseline = "middle";
    context.lineJoin = "round";
    context.lineWidth = 3;
    for (let y = y0; y <= y1; y++)
      for (let x = x0; x <= x1; x++) {
        const values = picture.texel(x, y);
        values?.forEach((value, c) => {
          if (picture.channels > 2 && !look.shown[c]) return;
          const at = [view.x + (x + 0.5) * view.scale, view.y + (y + 0.5) * view.scale + (c - (values.length - 1) / 2) * size * 1.12];
          context.strokeStyle = "#20302fcc";
          context.fillStyle = "#fff";
          context.strokeText(picture.write(value), ...at);
          context.fillText(picture.write(value), ...at);
        });
      }
  }

  mark(context, x, y) {
    for (const [style, width] of [["#20302f", 4], ["#ffe94a", 2]]) {
      context.strokeStyle = style;
      context.lineWidth = width;
      context.beginPath();
      context.arc(x, y, 7, 0, 2 * Math.PI);
      for (const [dx, dy] of [[1, 0], [-1, 0], [0, 1], [0, -1]]) { context.moveTo(x + dx * 4, y + dy * 4); context.lineTo(x + dx * 12, y + dy * 12); }
      context.stroke();
    }
  }
}
