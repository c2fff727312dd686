import { CheckCard } from "./CheckCard";
import { ShapeCard } from "./ShapeCard";

/** What Shape offers: what is picked, and what there is to see of the mesh. */
export default function ShapeStage() {
  return (
    <>
      {/* what is picked changes the height of its card, and nothing may move from under the pointer */}
      <CheckCard />
      <ShapeCard />
    </>
  );
}
