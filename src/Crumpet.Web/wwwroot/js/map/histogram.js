// How often each value occurs in a map, channel by channel.

const inks = ["#c0504d", "#3f8f4f", "#4a6fc0", "#8a8a8a"];

/** Draws a map's values; a map it is compared with as a dashed line behind them. */
export function drawHistogram(canvas, said, picture, behind = null) {
  const context = canvas.getContext("2d"), { width: w, height: h } = canvas;
  context.clearRect(0, 0, w, h);
  if (!picture) {
    said.textContent = "";
    return;
  }
  const { channels, from, to } = picture.statistics, grey = channels.length < 3;
  // One value that fills half the sheet must not flatten all others.
  const tall = Math.max(1, ...channels.flatMap((c) => [...c.histogram].sort((a, b) => b - a).slice(2, 3)));
  channels.forEach((channel, i) => {
    context.beginPath();
    context.moveTo(0, h);
    channel.histogram.forEach((n, bin) => context.lineTo((bin + 0.5) / 256 * w, h - Math.min(1, Math.sqrt(n / tall)) * (h - 4)));
    context.lineTo(w, h);
    context.strokeStyle = grey ? inks[3] : inks[i];
    context.fillStyle = `${grey ? inks[3] : inks[i]}33`;
    context.lineWidth = 2;
    context.fill();
    context.stroke();
  });
  if (behind) outline(context, behind, w, h);
  const write = (v) => (picture.bits === 32 ? Number(v.toPrecision(4)) : Math.round(v * picture.full));
  const mean = (c) => (picture.bits === 32 ? write(c.mean) : (c.mean * picture.full).toFixed(1));
  said.textContent = channels.map((c, i) => `${grey ? "grey" : "RGBA"[i]} ${write(c.least)} to ${write(c.greatest)}, mean ${mean(c)}`).join("\n")
    + (behind ? `\ndashed: ${behind.choice.label}` : "") + (picture.bits === 32 ? `\nfrom ${write(from)} to ${write(to)}` : "");
}

function outline(context, { statistics: { channels } }, w, h) {
  const tall = Math.max(1, ...channels.flatMap((c) => [...c.histogram].sort((a, b) => b - a).slice(2, 3)));
  context.setLineDash([6, 5]);
  context.strokeStyle = getComputedStyle(context.canvas).color;
  context.lineWidth = 2;
  for (const { histogram } of channels) {
    context.beginPath();
    histogram.forEach((n, bin) => context.lineTo((bin + 0.5) / 256 * w, h - Math.min(1, Math.sqrt(n / tall)) * (h - 4)));
    context.stroke();
  }
  context.setLineDash([]);
}
