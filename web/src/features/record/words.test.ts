import { describe, expect, it } from "vitest";
import { lineWord } from "./words";

describe("a line of the record", () => {
  it("says what was written where, and why if that is no plain transfer", () => {
    const field = { what: "field", field_name: "Title", end: "left" } as const;
    expect(lineWord({ ...field, why: "carried" })).toBe("Title, left");
    expect(lineWord({ ...field, why: "chosen" })).toBe("Title, left, as decided");
    expect(lineWord({ ...field, why: "merged" })).toBe("Title, left, merged");
    expect(lineWord({ ...field, why: "policy" })).toBe("Title, left, by the lane’s policy");
    expect(lineWord({ what: "item", why: "made", field_name: "", end: "right" })).toBe("Created at right");
    expect(lineWord({ what: "call", why: "carried", field_name: "file a.png", end: "right" })).toBe(
      "File a.png, right",
    );
    expect(lineWord({ what: "call", why: "carried", field_name: "remove a b.png", end: "left" })).toBe(
      "File a b.png removed, left",
    );
    expect(lineWord({ what: "call", why: "carried", field_name: "move Closed", end: "right" })).toBe(
      "Next state: Closed, right",
    );
    expect(lineWord({ what: "choice", why: "chose_left", field_name: "Title" })).toBe("Title, decided: use left");
  });
});
