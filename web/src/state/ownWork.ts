/** Which long work this tab has begun: only that is saved here as a file when it is done, also after a reload. Where
 * nothing can be kept it is remembered until then. */
const KEPT = "own work";
let ids: string[] | null = null;

function own(): string[] {
  if (ids) return ids;
  try {
    const stored: unknown = JSON.parse(sessionStorage.getItem(KEPT) ?? "[]");
    ids = Array.isArray(stored) ? stored.filter((id) => typeof id === "string") : [];
  } catch {
    ids = [];
  }
  return ids;
}

function keep(kept: string[]): void {
  ids = kept;
  try {
    sessionStorage.setItem(KEPT, JSON.stringify(kept));
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
  ids = null;
};
