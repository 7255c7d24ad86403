/** Colours between the document (linear Rec.709) and the browser's colour box (sRGB hex). */

const encode = (x) => (x <= 0.0031308 ? 12.92 * x : 1.055 * x ** (1 / 2.4) - 0.055);
const decode = (x) => (x <= 0.04045 ? x / 12.92 : ((x + 0.055) / 1.055) ** 2.4);

/** @param {number[]} linear */
export function toHex(linear) {
  return "#" + linear.map((x) => Math.round(encode(Math.min(1, Math.max(0, x))) * 255).toString(16).padStart(2, "0")).join("");
}

/** @param {string} hex */
export function fromHex(hex) {
  return [1, 3, 5].map((i) => Number(decode(parseInt(hex.slice(i, i + 2), 16) / 255).toFixed(5)));
}
