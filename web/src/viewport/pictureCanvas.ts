/**
 * The canvas of the shelf's pictures. It is made ready before anything else: a browser's first drawing context takes a
 * few hundred milliseconds, and the viewport's comes quickly after it.
 */
export const pictureCanvas = document.createElement("canvas");
export const pictureLook = { antialias: true, alpha: true, preserveDrawingBuffer: true } as const;

export const makeReady = (): WebGL2RenderingContext | null =>
  pictureCanvas.getContext("webgl2", { ...pictureLook } as WebGLContextAttributes);
