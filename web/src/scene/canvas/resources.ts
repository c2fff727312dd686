import { BufferGeometry, CanvasTexture, Material, Object3D, Sprite } from "three";

/** Things under keys that several users share: each is made once, and the latest unused ones are kept. */
export class SharedPool<T> {
  readonly #held = new Map<string, { value: T; users: number }>();

  constructor(
    private readonly dispose: (value: T) => void,
    /** Unused ones that are kept. */
    private readonly spare: number,
  ) {}

  /** The value of a key, in use from now on until `release`. */
  take(key: string, make: () => T): T {
    const found = this.#held.get(key) ?? { value: make(), users: 0 };
    found.users++;
    // the latest come last
    this.#held.delete(key);
    this.#held.set(key, found);
    return found.value;
  }

  /** One user less; the oldest unused values are disposed where there are too many. */
  release(key: string): void {
    const found = this.#held.get(key);
    if (found && found.users > 0) found.users--;
    const unused = [...this.#held].filter(([, { users }]) => users === 0);
    for (const [old, { value }] of unused.slice(0, Math.max(0, unused.length - this.spare))) {
      this.#held.delete(old);
      this.dispose(value);
    }
  }

  /** How many are held. */
  get size(): number {
    return this.#held.size;
  }
}

const letGoMaterial = (material: Material): void => {
  if (material.userData.shared) return;
  const { map } = material as Material & { map?: unknown };
  if (map instanceof CanvasTexture) map.dispose();
  material.dispose();
};

/** Free what something has on the graphics card: an object with all under it, a geometry, a material with the picture
 * that was drawn for it, or several of them in an array or by name. Materials marked as shared stay. */
export function letGo(owned: unknown): void {
  if (owned instanceof Object3D) {
    owned.traverse((object) => {
      const { geometry, material } = object as Partial<{ geometry: BufferGeometry; material: Material | Material[] }>;
      // all sprites share one
      if (!(object instanceof Sprite)) geometry?.dispose();
      for (const one of material ? [material].flat() : []) letGoMaterial(one);
    });
  } else if (owned instanceof BufferGeometry) owned.dispose();
  else if (owned instanceof Material) letGoMaterial(owned);
  else if (Array.isArray(owned)) owned.forEach(letGo);
  else if (owned !== null && typeof owned === "object") Object.values(owned).forEach(letGo);
}
