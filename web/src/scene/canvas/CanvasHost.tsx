import { createRoot, extend } from "@react-three/fiber";
import { type ReactNode, useLayoutEffect, useRef, useState } from "react";
import styled from "styled-components";
import { BoxGeometry, Mesh, MeshBasicMaterial, PlaneGeometry } from "three";
import { viewport } from "../../viewport/controller";
import { canvas } from "./canvas";
import { pixelRatio, renderer, scene } from "./renderer";

extend({ BoxGeometry, Mesh, MeshBasicMaterial, PlaneGeometry });
const root = createRoot(canvas);

const Host = styled.div`position: absolute; inset: 0; overflow: hidden;`;

/** The canvas in the page, as large as there is room, and what is drawn in it; drawn on demand, once it is awake. */
export function Drawing({ awake, children }: { awake: boolean; children: ReactNode }) {
  const host = useRef<HTMLDivElement>(null);
  const [size, setSize] = useState<{ width: number; height: number; top: number; left: number } | null>(null);
  useLayoutEffect(() => {
    const element = host.current;
    if (!element) return;
    canvas.className = "";
    canvas.style.display = "block";
    element.append(canvas);
    const measure = () => {
      const { width, height, top, left } = element.getBoundingClientRect();
      setSize({ width, height, top, left });
    };
    measure();
    const observer = new ResizeObserver(measure);
    observer.observe(element);
    return () => observer.disconnect();
  }, []);
  useLayoutEffect(() => {
    if (!size?.width || !size.height) return;
    void root.configure({
      gl: renderer,
      scene,
      camera: viewport.camera,
      size,
      dpr: pixelRatio(),
      frameloop: awake ? "demand" : "never",
      flat: true,
      shadows: { type: renderer.shadowMap.type, autoUpdate: false },
    });
    root.render(children);
  }, [size, awake, children]);
  return <Host ref={host} />;
}
