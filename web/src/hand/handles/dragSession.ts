import { dragStore } from "../../state/drag";
import { run, runningStore } from "../../state/running";
import { numbersIn } from "../../ui/expression";
import { type HandleDrag, type HandleRun, handleRuns } from "./holding";

/** What is particular to one kind of drag. */
export interface DragSpec {
  /** What the prompt says when it begins. */
  prompt: Omit<HandleRun, "kind" | "typed">;
  /** Whether lengths are typed; where it is left out, as the unit of the prompt says. */
  lengths?: boolean;
  /** Numbers typed over the measure, null once they are cleared; true where they replace the pointer. */
  typed(values: readonly number[] | null, text: string): boolean;
  /** The pointer has moved; not called while typed numbers replace it. */
  move(x: number, y: number, free: boolean, centred: boolean): void;
  /** Take the step. `copy`: what is held stays, and a copy goes. */
  commit(copy: boolean): Promise<void>;
  /** Remove what was drawn for the drag: after the step, and where it is cancelled. */
  clear?(): void;
}

/** A handle in the hand, from the press to the step: the prompt, typed numbers, and the end of both. */
export class DragSession implements HandleDrag {
  /** Typed numbers replace the pointer. */
  typedOver = false;
  ended = false;
  readonly #unsubscribe: () => void;

  constructor(private readonly spec: DragSpec) {
    handleRuns.begin(spec.prompt);
    const metres = spec.lengths ?? spec.prompt.unit === "m";
    this.#unsubscribe = runningStore.subscribe(({ typed }, before) => {
      if (typed !== before.typed)
        this.typedOver = spec.typed(
          numbersIn(typed, () => metres),
          typed,
        );
    });
  }

  move(x: number, y: number, free: boolean, centred = false): void {
    if (!this.typedOver) this.spec.move(x, y, free, centred);
  }

  async finish(copy = false): Promise<void> {
    this.#end();
    await this.spec.commit(copy);
    this.#leave();
  }

  cancel(): void {
    this.#end();
    this.#leave();
  }

  #end(): void {
    this.ended = true;
    this.#unsubscribe();
  }

  #leave(): void {
    this.spec.clear?.();
    dragStore.setState({ now: null, handle: null, caught: null });
    run(null);
  }
}
