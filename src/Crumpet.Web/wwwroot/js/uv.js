// UV islands of the low side on the tile.
import { loadPreview } from "./preview.js";
import { PanZoom, sharpContext } from "./pan-zoom.js";

const root = document.getElementById("uv");
const canvas = root.querySelector("canvas");
const readout = root.querySelector(".readout");
const size = Number(root.dataset.size);
let objects = null, marked = "";
const view = new PanZoom(canvas, () => requestAnimationFrame(draw));

function trace(context, o) {
  context.beginPath();
  for (let i = 0; i < o.index.length; i += 3) {
    for (let c = 0; c < 4; c++) {
      const v = o.index[i + (c % 3)], x = view.x + o.uvs[2 * v] * size * view.scale, y = view.y + (1 - o.uvs[2 * v + 1]) * size * view.scale;
      if (c === 0) context.moveTo(x, y); else context.lineTo(x, y);
    }
  }
}

function draw() {
  const context = sharpContext(canvas);
  context.fillStyle = "#626262";
  context.fillRect(view.x, view.y, size * view.scale, size * view.scale);
  context.strokeStyle = "#f2f2f2";
  context.lineWidth = 1;
  context.strokeRect(view.x + 0.5, view.y + 0.5, size * view.scale, size * view.scale);
  for (const o of objects ?? []) {
    if (!o.uvs) continue;
    trace(context, o);
    context.fillStyle = o.part === marked ? "#ffe94a" : "#d8d2c2";
    context.fill();
    // Wires of narrow islands would hide them when seen from afar.
    context.strokeStyle = `rgba(70, 82, 79, ${Math.min(1, 0.25 + view.scale)})`;
    context.lineWidth = Math.min(1, 0.3 + view.scale / 2);
    context.stroke();
  }
}

canvas.addEventListener("pointermove", (e) => {
  const [x, y] = view.at(e.offsetX, e.offsetY);
  const inside = x >= 0 && y >= 0 && x < size && y < size;
  readout.textContent = inside ? `x ${Math.floor(x)} y ${Math.floor(y)} px · u ${(x / size).toFixed(4)} v ${(1 - y / size).toFixed(4)}` : `tile · ${size} × ${size} px`;
});
document.body.addEventListener("fly-to", (e) => { marked = e.detail.replace(/_(low|high)$/, ""); draw(); });
new ResizeObserver(() => view.fit(size, size)).observe(canvas);
loadPreview(root.dataset.uv).then((loaded) => {
  objects = loaded;
  if (!objects) readout.textContent = "there is no low side to show yet";
  view.fit(size, size);
});
