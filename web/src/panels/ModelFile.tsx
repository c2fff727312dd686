import type { Ref } from "react";
import { useRules } from "../api/queries";
import { bringIn } from "../state/imports";

interface ModelFileProps {
  ref: Ref<HTMLInputElement>;
  label: string;
  /** Whether what is in the file is placed where it stands there. */
  place?: boolean;
}

/** The field that takes model files, which a button opens. */
export function ModelFile({ ref, label, place = false }: ModelFileProps) {
  const rules = useRules();
  return (
    <input
      ref={ref}
      type="file"
      accept={[...(rules?.models ?? []), ...(rules?.beside ?? [])].join()}
      multiple
      hidden
      aria-label={label}
      onChange={(event) => {
        void bringIn([...(event.currentTarget.files ?? [])], place);
        event.currentTarget.value = "";
      }}
    />
  );
}
