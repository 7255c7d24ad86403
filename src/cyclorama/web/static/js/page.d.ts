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
