import { RepeatWrapping, SRGBColorSpace, type Texture, TextureLoader } from "three";
import { within } from "../../api/here";
import { SharedPool } from "../canvas/resources";

/** Pictures that no material shows any more and that are kept. */
const SPARE = 24;
const pool = new SharedPool<Texture>((texture) => texture.dispose(), SPARE);
/** Offset u and v, rotation in radians, scale u and v. */
type Transform = readonly [number, number, number, number, number];

/** The key of a picture as it lies on a surface. */
export const textureKey = (hash: string, moved: Transform | null): string =>
  moved ? `${hash} ${moved.join(" ")}` : hash;

/** The picture of a hash as a texture, moved on its surface, in use until it is released; `ready` is called when it has
 * been loaded. */
export function takeTexture(hash: string, moved: Transform | null, ready: () => void): Texture {
  return pool.take(textureKey(hash, moved), () => {
    const made = new TextureLoader().load(within(`textures/${hash}`), ready);
    made.colorSpace = SRGBColorSpace;
    made.flipY = false;
    made.wrapS = RepeatWrapping;
    made.wrapT = RepeatWrapping;
    if (moved) {
      const [u, v, turn, a, b] = moved;
      made.offset.set(u, v);
      made.rotation = turn;
      made.repeat.set(a, b);
    }
    return made;
  });
}

export const releaseTexture = (key: string): void => pool.release(key);
