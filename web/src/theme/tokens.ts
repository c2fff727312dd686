import { createGlobalStyle } from "styled-components";

/** Colours that the viewport needs as numbers; the same values as the style sheet below. */
export interface Scheme {
  ground: string;
  ink: string;
  gridLine: string;
  gridBold: string;
  petrol: string;
  ochre: string;
  brick: string;
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
  axes: { x: "#d9766b", y: "#83b571", z: "#749fda" },
};

export const prefersNight = () => window.matchMedia("(prefers-color-scheme: dark)").matches;

export const GlobalStyle = createGlobalStyle`
  :root {
    --sheet: #f5f2ea; --panel: #fbfaf6; --field: #ffffff; --line: #d9d4c7; --line-strong: #b9b4a4;
    --ink: #22303a; --quiet: #5d6a70; --brick: #a8432b; --on-brick: #ffffff; --petrol: #0f6b66; --petrol-wash: #e0eeeb;
    --ochre: #8a5a08; --ochre-wash: #fbf1dc; --error: #9b1c31; --error-wash: #fbe9ea; --dark: #22303a; --on-dark: #fbfaf6;
    --float: 0 2px 10px rgb(34 48 58 / 0.18);
  }
  @media (prefers-color-scheme: dark) {
    :root {
      --sheet: #18222a; --panel: #1f2b34; --field: #162027; --line: #36444f; --line-strong: #566570;
      --ink: #e9e6dc; --quiet: #a9b4ba; --brick: #d97a60; --on-brick: #1b1210; --petrol: #5cc5bd; --petrol-wash: #1d3d40;
      --ochre: #e0a63f; --ochre-wash: #3a3020; --error: #f08a98; --error-wash: #3f2229; --dark: #e9e6dc; --on-dark: #18222a;
      --float: 0 2px 12px rgb(0 0 0 / 0.5);
    }
  }
  *, *::before, *::after { box-sizing: border-box; }
  html, body, #root { height: 100%; margin: 0; }
  body {
    font-family: "Archivo Variable", sans-serif; font-size: 13px; line-height: 18px; font-feature-settings: "tnum";
    color: var(--ink); background: var(--sheet); overflow: hidden; -webkit-font-smoothing: antialiased;
  }
  button, input { font: inherit; color: inherit; }
  :focus-visible { outline: 2px solid var(--petrol); outline-offset: 1px; }
  h1, h2, h3, p { margin: 0; font-size: inherit; font-weight: inherit; }
  ::selection { background: var(--petrol-wash); }
`;
