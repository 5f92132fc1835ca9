import { describe, expect, it } from "vitest";
import { edited, unedited, type Edit, type Edits } from "./edits";

const to = (text: string): Edit<string> => ({ does: "change", saved: "saved", to: () => text });
const after = (...edits: Edit<string>[]) => edits.reduce<Edits<string>>((now, edit) => edited(now, edit), unedited).now;

describe("edits", () => {
  it("takes changes back one by one and does them again", () => {
    expect(after(to("one"), to("two"), { does: "undo" })).toBe("one");
    expect(after(to("one"), to("two"), { does: "undo" }, { does: "undo" })).toBe("saved");
    expect(after(to("one"), { does: "undo" }, { does: "undo" }, { does: "redo" })).toBe("one");
  });
  it("takes no step for a change to what is there already", () => {
    expect(after(to("one"), to("two"), to("two"), { does: "undo" })).toBe("one");
    expect(after(to("saved"))).toBe(null);
  });
  it("applies a change to what is there now, whenever it was asked for", () => {
    // Two answers that were asked for at the same time: each adds its own.
    const add = (text: string): Edit<string> => ({ does: "change", saved: "", to: (now) => now + text });
    expect(after(add("left "), add("right"))).toBe("left right");
  });
  it("forgets what was taken back once something else is changed, and everything when it is saved", () => {
    expect(after(to("one"), { does: "undo" }, to("two"), { does: "redo" })).toBe("two");
    expect(after(to("one"), { does: "saved" }, { does: "undo" })).toBe(null);
  });
});
