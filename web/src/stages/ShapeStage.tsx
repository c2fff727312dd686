import { CheckCard } from "./CheckCard";
import { ShapeCard } from "./ShapeCard";

/** What Shape offers: what is picked, and what there is to see of the mesh. */
export default function ShapeStage() {
  return (
    <>
      <ShapeCard />
      <CheckCard />
    </>
  );
}
