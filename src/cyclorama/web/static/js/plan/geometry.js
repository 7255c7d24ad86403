/** Geometry of the floor plan and the elevation. */

export const rad = (deg) => (deg * Math.PI) / 180;
export const wrap = (deg) => ((((deg + 180) % 360) + 360) % 360) - 180;

/** A point turned about the axis. */
export function turned(/** @type {number[]} */ [x, y, z], deg) {
  const c = Math.cos(rad(deg));
  const s = Math.sin(rad(deg));
  return [c * x + s * z, y, -s * x + c * z];
}

/** A point under a 4×4 matrix, given as its rows. */
export function under(matrix, [x, y, z]) {
  return matrix.slice(0, 3).map((row) => row[0] * x + row[1] * y + row[2] * z + row[3]);
}

/** A point, or a direction, under three rows of four numbers. */
export const rows3 = (rows, [x, y, z], free = false) => [0, 4, 8].map((i) => rows[i] * x + rows[i + 1] * y + rows[i + 2] * z + (free ? 0 : rows[i + 3]));

/**
 * Where a point of a light at rest has gone along with what carries it.
 * @param {{carriage: string}} light @param {object} pose @param {boolean} free whether it is a direction
 */
export function goneAlong({ carriage }, pose, point, free = false) {
  if (carriage === "rig") return turned(point, pose.lights_deg);
  const rows = pose.carried[carriage];
  return rows ? rows3(rows, point, free) : point;
}

/** The other way: where at rest a point is that has gone along with a light. */
export function carriedBack({ carriage }, pose, point) {
  if (carriage === "rig") return turned(point, -pose.lights_deg);
  const m = pose.carried[carriage];
  if (!m) return point;
  const p = point.map((v, i) => v - m[4 * i + 3]);
  return [0, 1, 2].map((i) => m[i] * p[0] + m[4 + i] * p[1] + m[8 + i] * p[2]);
}

/**
 * How a light stands about its aim when it has gone to a point with what carries it: angles in degrees, distance in metres.
 * @param {{carriage: string, aim: number[]}} light
 */
export function anglesAt(light, pose, point) {
  const [x, y, z] = carriedBack(light, pose, point).map((p, i) => p - light.aim[i]);
  const degrees = (/** @type {number} */ radians) => (radians * 180) / Math.PI;
  return { azimuth: degrees(Math.atan2(x, z)), elevation: degrees(Math.atan2(y, Math.hypot(x, z))), distance: Math.hypot(x, y, z) };
}

/** The inverse of a placement: a turn with an even scale, and a shift. */
export function inverse(matrix) {
  const [a, b, c] = matrix;
  const k = 1 / (a[0] * a[0] + a[1] * a[1] + a[2] * a[2]);
  const rows = [0, 1, 2].map((i) => [a[i] * k, b[i] * k, c[i] * k]);
  return rows.map((row) => [...row, -(row[0] * a[3] + row[1] * b[3] + row[2] * c[3])]);
}

/** Convex hull of screen points (monotone chain), for outlines. */
export function flatHull(points) {
  const sorted = points.toSorted((a, b) => a[0] - b[0] || a[1] - b[1]);
  const cross = (o, a, b) => (a[0] - o[0]) * (b[1] - o[1]) - (a[1] - o[1]) * (b[0] - o[0]);
  const half = (list) => {
    const out = [];
    for (const p of list) {
      while (out.length >= 2 && cross(out.at(-2), out.at(-1), p) <= 0) out.pop();
      out.push(p);
    }
    return out.slice(0, -1);
  };
  return [...half(sorted), ...half(sorted.toReversed())].map((p) => p.map((v) => Number(v.toFixed(1))));
}
