import { useFrame, useThree } from "@react-three/fiber";
import { useEffect, useMemo } from "react";
import { Plane, Vector3 } from "three";
import type { Piece } from "../../api/types";
import { meshOfRung, useRungs } from "../../state/rungs";
import { type InstancesProps, PieceInstances } from "./PieceInstances";

const corners = [new Vector3(), new Vector3(), new Vector3()] as const;
const inside = new Vector3();

/** A piece of which another rung is drawn, or two with a divider between them. */
export function RungInstances(props: Omit<InstancesProps, "derived">) {
  const { piece } = props;
  const { rung, beside, divider, paint, flipped } = useRungs((s) => s);
  const invalidate = useThree((s) => s.invalidate);
  const gl = useThree((s) => s.gl);
  const [left, right] = useMemo(() => [new Plane(), new Plane()], []);
  const parted = beside !== null && rung > 0 && !flipped;
  useEffect(() => {
    gl.localClippingEnabled = parted;
    invalidate();
    return () => {
      gl.localClippingEnabled = false;
    };
  }, [gl, parted, invalidate]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: what is drawn follows the divider
  useEffect(() => invalidate(), [divider, invalidate]);
  useFrame(({ camera }) => {
    if (!parted) return;
    const x = 2 * divider - 1;
    const [a, b, c] = corners;
    left.setFromCoplanarPoints(
      a.set(x, -1, 0).unproject(camera),
      b.set(x, 1, 0).unproject(camera),
      c.set(x, 0, 0.9).unproject(camera),
    );
    // kept is what lies on the left
    if (left.distanceToPoint(inside.set(x - 1, 0, 0).unproject(camera)) < 0) left.negate();
    right.copy(left).negate();
  }, -1);
  const source = useMemo((): Piece => piece, [piece]);
  const slim = useMemo((): Piece => ({ ...piece, mesh: meshOfRung(piece, rung) }), [piece, rung]);
  const from = paint && rung > 0 ? (piece.ladder?.source ?? null) : null;
  // distances are painted as they are on the piece itself
  const most = (piece.ladder?.rungs[rung - 1]?.largest ?? 0) / Math.max(...(piece.ladder?.size ?? [1]));
  if (!parted) {
    const plain = flipped || rung === 0;
    return (
      <PieceInstances
        {...props}
        key="whole"
        piece={plain ? source : slim}
        derived
        paint={plain || from === null ? undefined : { from, most }}
      />
    );
  }
  return (
    <>
      <PieceInstances {...props} key="left" piece={source} derived clip={left} />
      <PieceInstances
        {...props}
        key="right"
        piece={slim}
        derived
        clip={right}
        paint={from === null ? undefined : { from, most }}
      />
    </>
  );
}
