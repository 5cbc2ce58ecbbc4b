// How far a texture is from its picture: level by level, block by block as a picture of shades, and the worst places to fly to.

const inks = [[24, 36, 38], [86, 62, 92], [196, 98, 66], [255, 226, 120]], opaque = 235, nearby = 2; // blocks around a place

export class Blocks {
  constructor(map) {
    Object.assign(this, { map, isOpen: false, way: null, answers: new Map(), shades: null });
    this.$ = (name) => map.root.querySelector(`[data-blocks=${name}]`);
    this.ways = [...map.root.querySelectorAll("[data-shades]")];
    for (const button of this.ways) button.addEventListener("click", () => {
      this.way = this.way === button.dataset.shades ? null : button.dataset.shades;
      this.show();
    });
    this.$("open").addEventListener("click", () => {
      this.isOpen = !this.isOpen;
      this.show();
    });
    this.$("levels").addEventListener("click", (e) => {
      const row = e.target.closest("[data-level]");
      if (!row) return;
      map.mip = Number(row.dataset.level);
      map.open();
    });
    this.$("worst").addEventListener("click", (e) => {
      const at = e.target.closest("[data-place]")?.dataset.place.split(" ").map(Number);
      if (at) map.view.show(at[0] - nearby * at[2] / 2, at[1] - nearby * at[3] / 2, at[2] * (nearby + 1), at[3] * (nearby + 1));
    });
  }

  /** Brings the pane and the shades up to the texture that is shown. */
  async show() {
    const { texture } = this.map, button = this.$("open");
    button.hidden = !texture;
    button.setAttribute("aria-pressed", this.isOpen);
    this.$("pane").hidden = !texture || !this.isOpen;
    for (const b of this.ways) b.setAttribute("aria-pressed", b.dataset.shades === this.way);
    if (!texture || !this.isOpen) return this.take(null);
    const { look, mip } = { look: texture.choice.texture, mip: texture.mip };
    this.$("said").textContent = `${texture.choice.label}: ${look.format}, decoded by ${texture.decodedBy}.`;
    // A full-size level drawn large is itself.
    const way = this.way === "soft" && mip === 0 ? "stored" : this.way ?? "stored";
    try {
      const [levels, errors] = await Promise.all([this.ask(`${look.measured}/levels`), this.ask(`${look.measured}/errors/${mip}/${way}`)]);
      if (this.map.texture !== texture) return;
      this.list(levels, mip);
      this.places(errors, mip);
      this.take(this.way ? { errors, texture } : null);
    } catch (error) {
      this.$("said").textContent = error.message;
      this.take(null);
    }
  }

  /** An answer of the server, asked for once. */
  ask(address) {
    if (!this.answers.has(address)) {
      const answer = fetch(address).then(async (r) => {
        if (!r.ok) throw new Error(r.status === 422 ? await r.text() : `The texture cannot be measured (${r.status}).`);
        return r.json();
      });
      answer.catch(() => this.answers.delete(address));
      this.answers.set(address, answer);
    }
    return this.answers.get(address);
  }

  list({ levels, said }, mip) {
    const write = (db, angle) => (angle !== undefined && angle !== null ? `${angle.toFixed(2)}°` : db === null ? "exact" : `${db.toFixed(1)} dB`);
    this.$("levels").replaceChildren(...levels.map((l) => {
      const row = document.createElement("tr"), cells = [`${l.width} × ${l.height}`, write(l.stored.psnr, l.stored.meanAngleDegrees),
        l.level === 0 ? "" : write(l.softPsnr, l.softAngle)];
      row.className = l.level === mip ? "marked" : "";
      const head = document.createElement("th"), press = document.createElement("button");
      head.scope = "row";
      Object.assign(press, { type: "button", className: "plain", textContent: `mip ${l.level}` }).dataset.level = l.level;
      head.append(press);
      row.append(head, ...cells.map((text) => Object.assign(document.createElement("td"), { className: "number", textContent: text })));
      return row;
    }));
    const { stored } = levels[mip], parts = stored.channelPsnr.map((db, i) => `${"RGBA"[i]} ${db === null ? "exact" : db.toFixed(1)}`);
    this.$("channels").textContent = `mip ${mip}: ${parts.join(", ")} dB`
      + (stored.meanAngleDegrees === null || stored.meanAngleDegrees === undefined ? ""
        : `; mean ${stored.meanAngleDegrees.toFixed(2)}°, 95 % below ${stored.angle95Degrees.toFixed(2)}°, worst ${stored.worstAngleDegrees.toFixed(1)}°`)
      + (stored.similarity ? `; structural similarity ${stored.similarity.toFixed(4)}` : "");
    this.$("soft").textContent = said;
  }

  places({ worst, isAngle, most }, mip) {
    // Two figures, so that what is small is not nothing.
    const write = (v) => `${v < 1 ? Number(v.toPrecision(2)) : v.toFixed(1)}${isAngle ? "°" : ""}`, shrunk = 2 ** mip;
    this.$("most").textContent = `${write(most)}${isAngle ? "" : " of 255"} and more`;
    this.$("worst").replaceChildren(...worst.map((p) => {
      const item = document.createElement("li"), press = document.createElement("button");
      Object.assign(press, { type: "button", className: "plain", textContent: `${p.x}, ${p.y}  ${write(p.error)}` });
      press.dataset.place = [p.x, p.y, p.width, p.height].map((n) => n / shrunk).join(" ");
      item.append(press);
      return item;
    }));
  }

  take(found) {
    this.shades = found && { ...found, canvas: paint(found.errors) };
    this.map.root.dataset.shades = found ? this.way : "";
    this.map.draw();
  }

  /** Draws the shades over the texture, not over what it is compared with. */
  draw(context, w, h) {
    if (!this.shades || this.map.texture !== this.shades.texture) return;
    const { view, opened, other, compare, seam, swapped } = this.map, { errors, texture, canvas } = this.shades;
    const cut = seam * w, isFirst = opened[swapped ? 1 : 0] === texture;
    if (compare === "one" && swapped) return;
    context.save();
    context.beginPath();
    if (compare === "wipe" && other) context.rect(isFirst ? 0 : cut, 0, isFirst ? cut : w - cut, h);
    else context.rect(0, 0, w, h);
    context.clip();
    context.imageSmoothingEnabled = false;
    context.drawImage(canvas, view.x, view.y, errors.across * errors.blockWidth / texture.width * view.width * view.scale,
      errors.down * errors.blockHeight / texture.height * view.height * view.scale);
    context.restore();
  }
}

function paint({ across, down, shades }) {
  const canvas = Object.assign(document.createElement("canvas"), { width: across, height: down }), context = canvas.getContext("2d");
  const image = context.createImageData(across, down), bytes = Uint8Array.from(atob(shades), (c) => c.charCodeAt(0));
  bytes.forEach((shade, i) => {
    const at = shade / 255 * (inks.length - 1), k = Math.min(inks.length - 2, Math.floor(at)), f = at - k;
    for (let c = 0; c < 3; c++) image.data[4 * i + c] = inks[k][c] * (1 - f) + inks[k + 1][c] * f;
    image.data[4 * i + 3] = opaque;
  });
  context.putImageData(image, 0, 0);
  return canvas;
}
