/** What documents and kinds hold, as the studio tells it: nobody here keeps a list of its own. */

/**
 * @type {{
 *   lights: {shape: string, title: string, fields: string[]}[],
 *   segments: {kind: string, title: string, says: string, figure: string, fields: string[]}[],
 *   passes: {name: string, title: string, says: string}[],
 *   maps: {slot: string, title: string}[],
 *   fixes: Object<string, string>, formats: string[], stations: string[], stock: Object<string, string>,
 *   take_states: Object<string, string>, backdrop: object, distances: {nearest_m: number, farthest_m: number},
 * }}
 */
export const schema = JSON.parse(document.getElementById("schema").textContent);

/** A kind of segment. @returns {any} */
export const segmentKind = (kind) => schema.segments.find((one) => one.kind === kind);

/** What the map of a slot is called. @returns {string} */
export const mapTitle = (slot) => schema.maps.find((one) => one.slot === slot)?.title ?? slot;

/** A kind of light. @returns {any} */
export const lightKind = (shape) => schema.lights.find((one) => one.shape === shape);
