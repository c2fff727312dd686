/** Which long work this tab has begun: only that is saved here as a file when it is done, also after a reload. Where
 * nothing can be kept it is known until then. */
const KEPT = "own work";
let known: string[] | null = null;

function own(): string[] {
  if (known) return known;
  try {
    const told: unknown = JSON.parse(sessionStorage.getItem(KEPT) ?? "[]");
    known = Array.isArray(told) ? told.filter((id) => typeof id === "string") : [];
  } catch {
    known = [];
  }
  return known;
}

function keep(ids: string[]): void {
  known = ids;
  try {
    sessionStorage.setItem(KEPT, JSON.stringify(ids));
  } catch {
    // private pages may keep nothing
  }
}

export const isOwn = (job: string): boolean => own().includes(job);
export const makeOwn = (job: string): void => {
  if (!isOwn(job)) keep([...own(), job]);
};
export const forgetOwn = (job: string): void => {
  if (isOwn(job)) keep(own().filter((id) => id !== job));
};
/** As a page that is opened finds it. */
export const readOwnAnew = (): void => {
  known = null;
};
