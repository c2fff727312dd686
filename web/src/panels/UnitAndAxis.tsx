import { useRules } from "../api/queries";
import { Picker, Segments } from "../ui/controls";
import { Labelled } from "../ui/Labelled";

interface UnitAndAxisProps {
  unit: string;
  up: string;
  onUnit: (unit: string) => void;
  onUp: (up: string) => void;
}

/** What the numbers of a file mean, and which of its axes is up. */
export function UnitAndAxis({ unit, up, onUnit, onUp }: UnitAndAxisProps) {
  const rules = useRules();
  return (
    <>
      <Labelled>
        <span>Unit</span>
        <Picker label="Unit" value={unit} options={rules?.units ?? []} onChange={onUnit} />
      </Labelled>
      <Labelled>
        <span>Axis</span>
        <Segments label="Axis" value={up} options={rules?.ups ?? []} onChange={onUp} wide />
      </Labelled>
    </>
  );
}
