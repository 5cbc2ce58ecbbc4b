// What is picked on the canvas beside islands: edges to cut or stitch, and pins that hold vertices.
import { answerTo, bringTo, say } from "../viewers.js";

const reachOfPress = 10;

/** Edges, collected press by press here or on the stage; the server knows loops and paths. */
export class EdgeTool {
  constructor(islands) {
    this.islands = islands;
    this.strip = islands.root.querySelector(".picked[data-for=edges]");
    this.edges = new Map();
    this.halves = new Set();
    this.reach = "Loop";
    for (const b of this.strip.querySelectorAll("[data-reach]"))
      b.addEventListener("click", () => { this.reach = b.dataset.reach;
        for (const o of this.strip.querySelectorAll("[data-reach]")) o.setAttribute("aria-pressed", o === b); });
    this.strip.querySelector("[data-act=drop-edges]").addEventListener("click", () => this.clear());
    answerTo("edge-pressed", ({ on, at }) => this.ask({ on, at: at.join() }));
    this.show();
  }

  start() { bringTo("edge-tool", true); this.show(); }

  stop() { bringTo("edge-tool", false); this.clear(); }

  clear() {
    this.edges.clear();
    this.halves.clear();
    this.end = null;
    this.show();
  }

  press(point, scale) {
    const { view } = this.islands, t = this.islands.triangleAt(point);
    if (t < 0) return;
    let best = 0, least = Infinity;
    for (let k = 0; k < 3; k++) {
      const d = distance(point, cornerOf(view.uv, t, k), cornerOf(view.uv, t, (k + 1) % 3)) * scale;
      if (d < least) [best, least] = [k, d];
    }
    this.ask({ corner: 3 * t + best });
  }

  async ask(question) {
    const address = new URL(location.href);
    address.searchParams.set("handler", "Edges");
    for (const [key, value] of Object.entries({ ...question, reach: this.reach, since: this.end?.join() ?? "" })) address.searchParams.set(key, value);
    const response = await fetch(address);
    if (!response.ok) return say(this.strip.querySelector(".picked-said"), "There is no edge of the low side; press nearer to one.");
    const { edges, halfEdges, end } = await response.json(), key = (e) =>
      [e.objectName, ...[[e.ax, e.ay, e.az], [e.bx, e.by, e.bz]].map(String).sort()].join("|");
    this.end = end;
    // What is picked already is picked no longer when it is pressed again.
    const known = edges.every((e) => this.edges.has(key(e)));
    for (const e of edges) if (known) this.edges.delete(key(e)); else this.edges.set(key(e), e);
    for (const h of halfEdges) if (known) this.halves.delete(h); else this.halves.add(h);
    this.show();
  }

  show() {
    const list = [...this.edges.values()], metres = list.reduce((sum, e) => sum + Math.hypot(e.bx - e.ax, e.by - e.ay, e.bz - e.az), 0);
    this.strip.hidden = this.islands.tool !== this;
    say(this.strip.querySelector(".picked-said"), list.length ? `${list.length} ${list.length === 1 ? "edge" : "edges"} · ${metres.toFixed(2)} m`
      : "Press an edge, here or on the stage");
    this.strip.querySelector("[name=edges]").value = JSON.stringify(list);
    for (const b of this.strip.querySelectorAll("form button")) b.disabled = !list.length;
    bringTo("edges", list.flatMap((e) => [e.ax, e.ay, e.az, e.bx, e.by, e.bz]));
    this.islands.draw();
  }

  paint(context, place) {
    const { uv } = this.islands.view;
    for (const [style, width] of [["#20302f", 5], ["#ffe94a", 2.5]]) {
      Object.assign(context, { strokeStyle: style, lineWidth: width, lineCap: "round" });
      context.beginPath();
      for (const h of this.halves) {
        const t = Math.floor(h / 3), k = h % 3;
        context.moveTo(...place(cornerOf(uv, t, k)));
        context.lineTo(...place(cornerOf(uv, t, (k + 1) % 3)));
      }
      context.stroke();
    }
  }
}

/** Pins: a press on a vertex holds it, a drag moves where it is held, a press on a new pin takes it out. */
export class PinTool {
  constructor(islands) {
    this.islands = islands;
    this.strip = islands.root.querySelector(".picked[data-for=pins]");
    this.pins = new Map();
    this.strip.querySelector("[data-act=lay-pins]").addEventListener("click", () => this.fill([]));
    this.strip.querySelector("[data-act=drop-pins]")
      .addEventListener("click", () => { this.pins.clear(); this.fill(this.islands.config.pins.map((p) => p.on)); });
    this.show();
  }

  start() { this.show(); }

  stop() {
    this.pins.clear();
    this.show();
  }

  fill(gone) {
    this.strip.querySelector("[name=pins]").value = JSON.stringify([...this.pins].map(([corner, [u, v]]) => [corner, u, v]));
    this.strip.querySelector("[name=gone]").value = [...new Set(gone)].join("\n");
  }

  /** The corner near a point of the tile, or -1. */
  near(point, scale) {
    const { painter, view } = this.islands;
    let best = -1, least = reachOfPress;
    for (const t of painter.triangles)
      for (let k = 0; k < 3; k++) {
        const [u, v] = cornerOf(view.uv, t, k), d = Math.hypot(u - point[0], v - point[1]) * scale;
        if (d < least) [best, least] = [3 * t + k, d];
      }
    return best;
  }

  /** Starts a drag. @returns whether there was a pin or a vertex */
  grasp(event, at, scale) {
    const point = at(event), held = [...this.pins].find(([, p]) => Math.hypot(p[0] - point[0], p[1] - point[1]) * scale < reachOfPress);
    const corner = held?.[0] ?? this.near(point, scale);
    if (corner < 0) return false;
    const { over } = this.islands;
    let moved = false;
    const move = (e) => {
      moved ||= Math.hypot(e.clientX - event.clientX, e.clientY - event.clientY) > 3;
      if (moved) this.pins.set(corner, at(e));
      this.show();
    };
    const end = () => {
      over.removeEventListener("pointermove", move);
      if (!moved && held) this.pins.delete(corner);
      else if (!moved) this.pins.set(corner, cornerOf(this.islands.view.uv, Math.floor(corner / 3), corner % 3));
      this.show();
    };
    over.setPointerCapture(event.pointerId);
    over.addEventListener("pointermove", move);
    over.addEventListener("pointerup", end, { once: true });
    return true;
  }

  show() {
    const set = this.islands.config.pins.length, fresh = this.pins.size;
    this.strip.hidden = this.islands.tool !== this;
    const pins = (count) => (count === 1 ? "pin" : "pins");
    say(this.strip.querySelector(".picked-said"), fresh ? `${fresh} new ${pins(fresh)}${set ? `, ${set} in the plan` : ""}; two or more hold an island`
      : set ? `${set} ${pins(set)} in the plan · press a vertex to add one, drag it to where it belongs`
      : "Press a vertex to pin it, drag it to where it belongs");
    this.strip.querySelector("[data-act=lay-pins]").disabled = !fresh;
    this.strip.querySelector("[data-act=drop-pins]").disabled = !set;
    this.islands.draw();
  }

  paint(context, place) {
    const { uv } = this.islands.view;
    context.lineWidth = 2;
    for (const [corner, at] of this.pins) {
      const from = place(cornerOf(uv, Math.floor(corner / 3), corner % 3)), to = place(at);
      context.strokeStyle = "#20302f";
      context.beginPath();
      context.moveTo(...from);
      context.lineTo(...to);
      context.stroke();
      head(context, to, "#ffe94a");
    }
  }

  /** Pins of the plan, seen with every tool. */
  paintSet(context, place) { for (const { u, v } of this.islands.config.pins) head(context, place([u, v]), "#f2f2f2"); }
}

function head(context, [x, y], fill) {
  Object.assign(context, { fillStyle: fill, strokeStyle: "#20302f", lineWidth: 2 });
  context.beginPath();
  context.arc(x, y - 7, 4.5, 0, 2 * Math.PI);
  context.fill();
  context.stroke();
  context.beginPath();
  context.moveTo(x, y - 2.5);
  context.lineTo(x, y);
  context.stroke();
}

const cornerOf = (uv, t, k) => [uv[6 * t + 2 * k], uv[6 * t + 2 * k + 1]];

function distance([x, y], [ax, ay], [bx, by]) {
  const dx = bx - ax, dy = by - ay, t = Math.min(1, Math.max(0, ((x - ax) * dx + (y - ay) * dy) / Math.max(dx * dx + dy * dy, 1e-20)));
  return Math.hypot(x - ax - t * dx, y - ay - t * dy);
}
