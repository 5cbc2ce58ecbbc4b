// What islands are coloured by, and the legend that says what the colours mean.
import { cividis } from "../stage/shader.js";

const rgb = (css) => css.match(/[\d.]+/g).slice(0, 3).map(Number);
const ramp = Array.from({ length: 256 }, (_, i) => rgb(cividis(i / 255)));
// What is amiss has the colour of the finding that says so.
const plain = [214, 208, 192], amiss = [230, 173, 85], turned = [74, 95, 165];
const turnedOver = 1, overlapping = 2;

/** Colours far from each other and from the marks, by number. */
function tint(number) {
  const hue = (number * 137.508 + 40) % 360, l = 62 + 12 * (number % 3 - 1);
  const a = 0.34 * Math.min(l, 100 - l) / 100, f = (k) => { const at = (k + hue / 30) % 12;
    return 255 * (l / 100 - a * Math.max(-1, Math.min(at - 3, 9 - at, 1))); };
  return [f(0), f(8), f(4)];
}

const partNumbers = (view) => {
  const names = [...new Set(view.objects.map((o) => o.part))];
  return view.objects.map((o) => names.indexOf(o.part));
};

/** Range of a quantity without its outermost hundredths. */
function range(values) {
  const sorted = Float32Array.from(values).sort(), at = (share) => sorted[Math.min(sorted.length - 1, Math.floor(share * sorted.length))] ?? 0;
  return [at(0.01), at(0.99)];
}

/** The same from well below: what is even shows bright, and not as the grey of the light table. */
function fromBelow(values) {
  const [from, to] = range(values);
  return [Math.min(from, 0.7 * to), to * 1.02];
}

/** @returns { of: colour of a triangle, legend: { from, to, title } or { title } } */
export function colouring(key, view, trays) {
  const byRamp = (values, [from, to], title, write) => ({
    of: (t) => ramp[Math.max(0, Math.min(255, Math.round(255 * (values[t] - from) / (to - from))))],
    legend: { title, from: write(from), to: write(to), bar: true },
  });
  const percent = (v) => `${((v - 1) * 100).toFixed(0)} %`;
  if (key === "density") return byRamp(view.density, fromBelow(view.density), "px/m", (v) => v.toFixed(v < 100 ? 1 : 0));
  if (key === "angle") return byRamp(view.angle, [1, Math.max(1.1, range(view.angle)[1])], "out of square", percent);
  if (key === "area") return byRamp(view.area, [1 / Math.max(1.1, range(view.area)[1]), Math.max(1.1, range(view.area)[1])], "area against the island's",
    (v) => `${(v * 100).toFixed(0)} %`);
  if (key === "faults") return { of: (t) => (view.flags[t] & overlapping ? amiss : view.flags[t] & turnedOver ? turned : plain),
    legend: { title: "amber: covered twice · indigo: mirrored" } };
  if (key === "plain") return { of: () => plain, legend: null };
  const parts = partNumbers(view), byObject = view.islands.map((i) => i.on);
  if (key === "tray") return { of: (t) => tint(3 * (trays[view.objects[byObject[view.island[t]]].part] ?? 9) + 2), legend: { title: "by tray" } };
  return { of: (t) => tint(parts[byObject[view.island[t]]]), legend: { title: "by part" } };
}
