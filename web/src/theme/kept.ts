/** What was kept under a name by this browser; null where it keeps nothing. */
export function kept(name: string): string | null {
  try {
    return localStorage.getItem(`able-brick ${name}`);
  } catch {
    return null;
  }
}

/** Keep something for the next time, if this browser does. */
export function keep(name: string, value: string): void {
  try {
    localStorage.setItem(`able-brick ${name}`, value);
  } catch {
    // a browser that keeps nothing begins anew the next time
  }
}

/** Whether this browser keeps anything. */
export function keepsAny(): boolean {
  try {
    return localStorage.length >= 0;
  } catch {
    return false;
  }
}

/** An object that was kept; empty where none was, or where it cannot be read. */
export function keptObject(name: string): Record<string, unknown> {
  try {
    const stored: unknown = JSON.parse(kept(name) ?? "{}");
    return stored !== null && typeof stored === "object" && !Array.isArray(stored)
      ? (stored as Record<string, unknown>)
      : {};
  } catch {
    return {};
  }
}
