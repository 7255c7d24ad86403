/** Arithmetic in number boxes: `30*10`, `2/3`, `1.2m`, `12s`. No evaluation of code. */

const UNITS = {
  mm: { mm: 1, cm: 10, m: 1000, in: 25.4 },
  m: { mm: 0.001, cm: 0.01, m: 1, in: 0.0254 },
};

/**
 * @param {string} text
 * @param {string} unit of the box; lengths may be typed in mm, cm, m or in
 * @param {number|null} rate frames per second: `12s` is then a number of frames
 * @returns {number|null} null when it is not a number
 */
export function calculate(text, unit = "", rate = null) {
  const tokens = text.replace(/,/g, ".").replace(/[−–]/g, "-").match(/\d*\.?\d+(?:e[-+]?\d+)?|[a-z°%/]+|[-+*/()]|\S/gi) ?? [];
  let at = 0;
  const factors = { ...UNITS[unit], ...(rate ? { s: rate } : {}), [unit]: 1 };
  const peek = () => tokens[at];

  function sum() {
    let value = product();
    while (peek() === "+" || peek() === "-") value = tokens[at++] === "+" ? value + product() : value - product();
    return value;
  }
  function product() {
    let value = signed();
    while (peek() === "*" || peek() === "/") value = tokens[at++] === "*" ? value * signed() : value / signed();
    return value;
  }
  function signed() {
    if (peek() === "-") return at++, -signed();
    if (peek() === "+") return at++, signed();
    return atom();
  }
  function atom() {
    let value;
    if (peek() === "(") {
      at++;
      value = sum();
      if (tokens[at++] !== ")") throw new SyntaxError();
    } else {
      value = Number(tokens[at++]);
      if (!Number.isFinite(value)) throw new SyntaxError();
    }
    if (peek() !== undefined && peek() in factors) value *= factors[tokens[at++]];
    return value;
  }
  try {
    const value = sum();
    return at === tokens.length && Number.isFinite(value) ? value : null;
  } catch {
    return null;
  }
}
