import { beforeEach, expect, it, vi } from "vitest";

const stored = new Map<string, string>();
vi.stubGlobal("localStorage", {
  getItem: (name: string) => stored.get(name) ?? null,
  setItem: (name: string, value: string) => stored.set(name, value),
});
vi.stubGlobal("window", { matchMedia: () => ({ matches: false }) });

const { OWN, setSettings, settingsStore, sound, textFactor } = await import("./settings");

beforeEach(() => setSettings(OWN));

it("takes what was kept as far as it can be used", () => {
  expect(sound({ sheet: "night", unit: "mm", budget: 90_000, text: "huge", handles: 3, more: true })).toEqual({
    ...OWN,
    sheet: "night",
    unit: "mm",
    budget: 90_000,
  });
  for (const budget of [0, -5, 1.5, "90000", Number.NaN, 1e12]) expect(sound({ budget }).budget).toBeNull();
});

it("keeps what is chosen", () => {
  setSettings({ text: "large", unit: "cm" });
  expect(textFactor()).toBeGreaterThan(1);
  const again = sound(JSON.parse(stored.get("able-brick settings") ?? "{}"));
  expect(again).toEqual(settingsStore.getState());
});
