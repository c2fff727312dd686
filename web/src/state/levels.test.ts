import { expect, it } from "vitest";
import { nextName } from "./levels";

it("names copies as things are named", () => {
  expect(nextName("Lock", ["Lock"])).toBe("Lock 2");
  expect(nextName("Lock 2", ["Lock", "Lock 2"])).toBe("Lock 3");
  expect(nextName("Lock 12", ["Lock 12", "Lock 13"])).toBe("Lock 14");
  expect(nextName("2", ["2"])).toBe("2 2");
});
