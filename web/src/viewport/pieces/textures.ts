import { RepeatWrapping, SRGBColorSpace, type Texture, TextureLoader } from "three";
import { within } from "../../api/here";

const kept = new Map<string, Texture>();

/** The picture of a hash as a texture; `ready` is called when it has been loaded. */
export function textureOf(hash: string, ready: () => void): Texture {
  let found = kept.get(hash);
  if (!found) {
    found = new TextureLoader().load(within(`textures/${hash}`), ready);
    found.colorSpace = SRGBColorSpace;
    found.flipY = false;
    found.wrapS = RepeatWrapping;
    found.wrapT = RepeatWrapping;
    kept.set(hash, found);
  }
  return found;
}
