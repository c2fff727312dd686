/** Colours that the viewport needs as numbers; the same values as in the style sheet beside this file. */
export interface Scheme {
  ground: string;
  ink: string;
  gridLine: string;
  gridBold: string;
  petrol: string;
  ochre: string;
  brick: string;
  fault: string;
  axes: { x: string; y: string; z: string };
}

export const daySheet: Scheme = {
  ground: "#e3e2dc",
  ink: "#22303a",
  gridLine: "#b9b4a4",
  gridBold: "#8f8a78",
  petrol: "#0f6b66",
  ochre: "#b97a12",
  brick: "#a8432b",
  fault: "#9b1c31",
  axes: { x: "#b0473d", y: "#4f7f3f", z: "#3a67a3" },
};

export const nightSheet: Scheme = {
  ground: "#26313a",
  ink: "#0d1418",
  gridLine: "#3d4a54",
  gridBold: "#566570",
  petrol: "#3fb3ab",
  ochre: "#e0a63f",
  brick: "#d97a60",
  fault: "#e0667a",
  axes: { x: "#d9766b", y: "#83b571", z: "#749fda" },
};
