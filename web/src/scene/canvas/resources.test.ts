import { BufferGeometry, CanvasTexture, Group, Mesh, MeshBasicMaterial, Texture } from "three";
import { describe, expect, it, vi } from "vitest";
import { letGo, SharedPool } from "./resources";

const disposals = (one: { addEventListener(type: "dispose", hear: () => void): void }) => {
  const heard = vi.fn();
  one.addEventListener("dispose", heard);
  return heard;
};

describe("letGo", () => {
  it("frees geometries, materials and drawn pictures of everything under an object", () => {
    const drawn = new CanvasTexture({} as HTMLCanvasElement);
    const loaded = new Texture();
    const [a, b] = [new MeshBasicMaterial({ map: drawn }), new MeshBasicMaterial({ map: loaded })];
    const geometry = new BufferGeometry();
    const heard = [a, b, geometry, drawn].map((one) => disposals(one as never));
    const stays = disposals(loaded as never);
    letGo({ group: new Group().add(new Mesh(geometry, a), new Mesh(geometry, b)), size: 3, none: null });
    for (const one of heard) expect(one).toHaveBeenCalled();
    expect(stays).not.toHaveBeenCalled();
  });

  it("leaves what is shared", () => {
    const letters = new MeshBasicMaterial();
    letters.userData.shared = true;
    const heard = disposals(letters as never);
    letGo([letters]);
    expect(heard).not.toHaveBeenCalled();
  });
});

describe("SharedPool", () => {
  it("makes each once, and disposes the oldest unused one beyond those it keeps", () => {
    const gone: string[] = [];
    const pool = new SharedPool<string>((value) => gone.push(value), 1);
    const make = vi.fn((key: string) => key);
    for (const key of ["a", "b", "c"]) pool.take(key, () => make(key));
    pool.take("a", () => make("again"));
    expect(make).toHaveBeenCalledTimes(3);
    pool.release("a");
    pool.release("b");
    expect(gone).toEqual([]);
    pool.release("c");
    expect(gone).toEqual(["b"]);
    pool.release("a");
    expect(gone).toEqual(["b", "c"]);
    expect(pool.size).toBe(1);
  });
});
