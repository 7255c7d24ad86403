/** How near and how far, in m, the document lets cameras and lights stand. */
export const NEAREST_M = 1e-5;
export const FARTHEST_M = 20000;
