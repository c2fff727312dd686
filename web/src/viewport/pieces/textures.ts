import { RepeatWrapping, SRGBColorSpace, type Texture, TextureLoader } from "three";
import { within } from "../../api/here";

const kept = new Map<string, Texture>();
/** Offset u and v, rotation in radians, scale u and v. */
type Transform = readonly [number, number, number, number, number];

/** The picture of a hash as a texture, moved on its surface; `ready` is called when it has been loaded. */
export function textureOf(hash: string, moved: Transform | null, ready: () => void): Texture {
  const key = moved ? `${hash} ${moved.join(" ")}` : hash;
  let found = kept.get(key);
  if (!found) {
    found = new TextureLoader().load(within(`textures/${hash}`), ready);
    found.colorSpace = SRGBColorSpace;
    found.flipY = false;
    found.wrapS = RepeatWrapping;
    found.wrapT = RepeatWrapping;
    if (moved) {
      const [u, v, turn, a, b] = moved;
      found.offset.set(u, v);
      found.rotation = turn;
      found.repeat.set(a, b);
    }
    kept.set(key, found);
  }
  return found;
}
