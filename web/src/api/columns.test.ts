import { describe, expect, it } from "vitest";
import example from "../testing/columns.json";
import { readColumns, readHead } from "./columns";

const bytes = (text: string): ArrayBuffer => Uint8Array.from(atob(text), (c) => c.charCodeAt(0)).buffer;

describe("columns", () => {
  const data = bytes(example.columns);

  it("say what their JSON says", () => {
    expect(readColumns(data)).toEqual(example.delta);
  });

  it("tell in their head which level and revision they are", () => {
    const { head } = readHead(data);
    expect([head.level, head.revision]).toEqual([example.delta.level, example.delta.revision]);
    expect(head.changed.some((row) => row.kind === "piece")).toBe(true);
  });

  it("are refused where they are something else or end too early", () => {
    expect(() => readColumns(new ArrayBuffer(4))).toThrow("no columns");
    expect(() => readColumns(bytes(btoa('{"changed": []}')))).toThrow("no columns");
    expect(() => readColumns(data.slice(0, data.byteLength - 64))).toThrow();
  });
});
