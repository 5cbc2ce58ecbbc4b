// Pictures as the server cuts them: tiles at every power of two, fetched as they come into view, forgotten when there are too many.
import { openCard } from "./card.js";

const budgetBytes = 160 << 20, atOnce = 8;

/** Tiles of all pictures together, least recently used first. */
class TileStore {
  constructor() {
    this.tiles = new Map();
    this.bytes = 0;
    this.running = 0;
    this.queue = new Map();
    this.dropped = () => {};
  }

  /** The tile, or null while it is on its way. Asking again keeps it. */
  get(key, load, arrived) {
    const tile = this.tiles.get(key);
    if (tile) {
      this.tiles.delete(key);
      this.tiles.set(key, tile);
      return tile.data ? tile : null;
    }
    this.queue.delete(key);
    this.queue.set(key, { load, arrived });
    this.pump();
    return null;
  }

  pump() {
    while (this.running < atOnce && this.queue.size) {
      // What was asked for last is what is being looked at.
      const [key, { load, arrived }] = [...this.queue].at(-1);
      this.queue.delete(key);
      this.running++;
      const tile = { data: null };
      this.tiles.set(key, tile);
      load().then((loaded) => {
        Object.assign(tile, loaded);
        this.bytes += tile.data.byteLength;
        this.trim();
        arrived();
      }, () => this.tiles.delete(key)).finally(() => { this.running--; this.pump(); });
    }
  }

  trim() {
    for (const [key, tile] of this.tiles) {
      if (this.bytes <= budgetBytes) return;
      if (!tile.data) continue;
      this.tiles.delete(key);
      this.bytes -= tile.data.byteLength;
      this.dropped(tile);
    }
  }

  /** Forgets what nobody asked for since the last drawing. */
  calm() { this.queue.clear(); }
}

export const tileStore = new TileStore();

/** A picture: its facts, its tiles and its texels' values. */
export class Picture {
  /**
   * @param choice a map of the page's list; @param mip level; @param arrived called when a tile has come
   * @param waits called with how far the server is, 0 to 1, while it cuts the picture; false from it gives up
   * @param from where it is served, if not where the list says
   */
  static async open(choice, mip, arrived, waits, from = choice.address) {
    const address = `${from}/${mip}`;
    let response = await fetch(address);
    while (response.status === 202) {
      if (waits((await response.json()).share) === false) throw new Error("left");
      response = await fetch(address);
    }
    if (!response.ok) throw new Error(response.status === 422 ? await response.text() : `the map cannot be fetched (${response.status})`);
    const picture = Object.assign(new Picture(), await response.json(), { choice, mip, address, key: address, arrived });
    if (choice.texture) await picture.decodeOnCard();
    return picture;
  }

  /** Has this browser's graphics decode the blocks, where they can; otherwise tiles are what Crumpet decodes. */
  async decodeOnCard() {
    const { card, problem } = await openCard(this.choice.texture, this.mip, this);
    this.card = card;
    this.decodedBy = card ? "this browser’s graphics" : `Crumpet, because ${problem}`;
    if (card) this.key = `card ${this.address}`;
  }

  get width() { return this.levels[0].width; }

  get height() { return this.levels[0].height; }

  tile(level, x, y) {
    const { width, height } = this.levels[level], side = this.tileSide, w = Math.min(side, width - x * side), h = Math.min(side, height - y * side);
    return tileStore.get(`${this.key}/${level}/${x}/${y}`, async () => {
      if (this.card) return { data: this.card.read(level, x * side, y * side, w, h), width: w, height: h, channels: this.channels, bits: this.bits };
      const response = await fetch(`${this.address}/${level}/${x}/${y}`);
      if (!response.ok) throw new Error(`${response.status}`);
      const buffer = await response.arrayBuffer();
      return { data: new (this.bits === 8 ? Uint8Array : this.bits === 16 ? Uint16Array : Float32Array)(buffer), width: w, height: h, channels: this.channels,
        bits: this.bits };
    }, this.arrived);
  }

  /** Stored values of a texel, one a channel; null while its tile is on its way. */
  texel(x, y) {
    const side = this.tileSide, tile = this.tile(0, Math.floor(x / side), Math.floor(y / side));
    if (!tile) return null;
    const at = ((y % side) * tile.width + (x % side)) * this.channels;
    return [...tile.data.subarray(at, at + this.channels)];
  }

  /** A stored value as it is written out. */
  write(value) { return this.bits < 32 ? String(value) : Number(value.toPrecision(5)).toString(); }

  /** Largest stored value that means 1. */
  get full() { return this.bits === 8 ? 255 : this.bits === 16 ? 65535 : 1; }
}
