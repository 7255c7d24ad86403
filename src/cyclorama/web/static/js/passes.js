/** What can be shot besides the beauty picture: its name in the document, what people call it, what it is. */
export const PASSES = [
  ["lights", "Every light apart", "Strengths and colours can be re-balanced afterwards"],
  ["components", "Diffuse, specular, transmission", "Direct and indirect, and emission"],
  ["albedo", "Albedo", "Colour without light"],
  ["normal", "Normal", "Direction of the surface"],
  ["position", "Position", "Where the surface is, in metres"],
  ["depth", "Depth", "Distance from the camera, in metres"],
  ["motion", "Motion vectors", "Movement to the next frame, in pixels"],
  ["objects", "Part mattes", "Coverage of every part, Cryptomatte"],
  ["materials", "Material mattes", "Coverage of every material, Cryptomatte"],
  ["catcher", "Shadow catcher", "All that stands on the sweep, with its shadow and reflection in alpha, to lay over another picture"],
  ["occlusion", "Occlusion", "How open each place is"],
  ["wireframe", "Wireframe", "Edges of the mesh"],
  ["clay", "Clay", "One grey material over all"],
];
