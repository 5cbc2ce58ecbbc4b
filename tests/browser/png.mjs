// Pictures for uploads.
import { deflateSync, crc32 } from "node:zlib";

/** A PNG. @param colour red, green, blue and alpha, 0 to 255, of a place */
export function png(w, h, colour) {
  const raw = Buffer.alloc(h * (1 + 4 * w));
  for (let y = 0; y < h; y++) for (let x = 0; x < w; x++) raw.set(colour(x, y), y * (1 + 4 * w) + 1 + 4 * x);
  const chunk = (name, data) => {
    const body = Buffer.concat([Buffer.from(name, "latin1"), data]), size = Buffer.alloc(4), sum = Buffer.alloc(4);
    size.writeUInt32BE(data.length);
    sum.writeUInt32BE(crc32(body));
    return Buffer.concat([size, body, sum]);
  };
  const head = Buffer.alloc(13);
  head.writeUInt32BE(w, 0);
  head.writeUInt32BE(h, 4);
  head.set([8, 6, 0, 0, 0], 8);
  return Buffer.concat([Buffer.from([137, 80, 78, 71, 13, 10, 26, 10]), chunk("IHDR", head), chunk("IDAT", deflateSync(raw)), chunk("IEND", Buffer.alloc(0))]);
}
