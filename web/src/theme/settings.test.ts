import { beforeEach, expect, it, vi } from "vitest";

const stored = new Map<string, string>();
vi.stubGlobal("localStorage", {
  getItem: (name: string) => stored.get(name) ?? null,
  setItem: (name: string, value: string) => stored.set(name, value),
});
vi.stubGlobal("window", { matchMedia: () => ({ matches: false }) });

const { DEFAULTS, setSettings, settingsStore, validated, textFactor } = await import("./settings");

beforeEach(() => setSettings(DEFAULTS));

it("takes what was kept as far as it can be used", () => {
  expect(validated({ sheet: "night", unit: "mm", budget: 90_000, text: "huge", handles: 3, more: true })).toEqual({
    ...DEFAULTS,
    sheet: "night",
    unit: "mm",
    budget: 90_000,
  });
  for (const budget of [0, -5, 1.5, "90000", Number.NaN, 1e12]) expect(validated({ budget }).budget).toBeNull();
});

it("keeps what is chosen", () => {
  setSettings({ text: "large", unit: "cm" });
  expect(textFactor()).toBeGreaterThan(1);
  const again = validated(JSON.parse(stored.get("able-brick settings") ?? "{}"));
  expect(again).toEqual(settingsStore.getState());
});
