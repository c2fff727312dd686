/** The viewport's canvas; there is one, from before the page is built. */
export const canvas = document.createElement("canvas");

/**
 * Its context, asked for before anything else: a browser's first one takes a few hundred milliseconds. It has no
 * several samples itself: what is to be smooth is drawn into a buffer that has.
 */
export const makeReady = (): WebGL2RenderingContext | null =>
  canvas.getContext("webgl2", { antialias: false, powerPreference: "high-performance" });
