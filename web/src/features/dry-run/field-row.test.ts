import { expect, it } from "vitest";
import type { Schemas } from "@/api/client";
import { choicesOf, taking } from "./field-row";

const field = (more: object) => ({ may_be_written: true, back: null, merge: null, ...more }) as Schemas["FieldDetail"];
const decisions = (f: Schemas["FieldDetail"], written: Schemas["End"] = "right") =>
  choicesOf(f, written).map(([d]) => d);

it("a field that goes one way takes the left, waits, or keeps the right", () => {
  expect(decisions(field({}))).toEqual(["write_right", "leave", "keep_right"]);
  expect(decisions(field({ may_be_written: false }))).toEqual(["leave", "keep_right"]);
  expect(taking(field({}), "right", "right")).toBe("keep_right");
  expect(taking(field({}), "left", "right")).toBe("write_right");
  expect(taking(field({ may_be_written: false }), "left", "right")).toBeUndefined();
  // Written the other way, it is the same the other way round, and what takes the left stands first.
  expect(decisions(field({}), "left")).toEqual(["keep_left", "leave", "write_left"]);
  expect(taking(field({}), "left", "left")).toBe("keep_left");
});

it("one that goes both ways can be written at either end, and both edits are offered where they are apart", () => {
  const both = field({ back: { may_be_written: true } });
  expect(decisions(both)).toEqual(["write_right", "leave", "write_left", "keep_right"]);
  expect(taking(both, "right", "right")).toBe("write_left");
  expect(decisions({ ...both, merge: {} as Schemas["MergeDetail"] })[0]).toBe("merge");
  // What can't be taken back is not offered.
  expect(decisions(field({ back: { may_be_written: false } }))).toEqual(["write_right", "leave", "keep_right"]);
});
