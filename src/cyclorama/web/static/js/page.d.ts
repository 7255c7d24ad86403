/** Answers of the server, by their names: made from its description by tools/check_scripts.py. */
type Api = import("api-types").components["schemas"];

/** Elements that selectors find are of whatever kind the template makes them. */
interface ParentNode {
  querySelector(selectors: string): any;
  querySelectorAll(selectors: string): NodeListOf<any>;
}
interface Document {
  getElementById(id: string): any;
}
interface EventTarget {
  closest?: any;
  dataset?: any;
  value?: any;
}
