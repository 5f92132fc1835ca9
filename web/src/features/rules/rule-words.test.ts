import { describe, expect, it } from "vitest";
import type { Schemas } from "@/api/client";
import { conversionsFor, howOf, hows, likelyHow, ruleWords, valueMapOf, withValueMap } from "./rule-words";
import type { Fill } from "./fills";

const field = (value_type: Schemas["ValueType"], more: Partial<Schemas["FieldSchema"]> = {}): Schemas["FieldSchema"] =>
  ({ id: "f", name: "F", value_type, ...more }) as Schemas["FieldSchema"];
const rule = (source: Fill["source"], conversions: Fill["conversions"] = []): Fill => ({
  target: "t",
  source,
  conversions,
});

describe("a rule in words", () => {
  it.each([
    [rule("folder"), "mirror"],
    [rule("origin"), "origin"],
    [rule("attachments"), "files"],
    [rule("links"), "links"],
    [rule({ constant: { type: "text", value: "x" } }), "constant"],
    [rule({ field: "a" }), "as it is"],
    [rule({ field: "a" }, ["rich_text"]), "rich text"],
    [rule({ field: "a" }, [{ shorten: { to: 20 } }]), "shorten to 20"],
    [rule({ field: "a" }, [{ value_map: { rows: [], otherwise: "block" } }]), "value map"],
    [rule({ field: "a" }, [{ users: { rows: [], otherwise: "leave_empty" } }]), "people"],
  ])("%j is %s", (given, words) => expect(ruleWords(given)).toBe(words));
});

describe("how a value is converted", () => {
  it("offers only what makes sense, and each choice is what it says", () => {
    for (const type of ["text", "rich_text", "steps", "choice", "choice_list", "user", "integer"] as const) {
      const target = field(type, { max_length: 30 });
      for (const how of hows(target)) {
        expect(howOf(rule({ field: "a" }, conversionsFor(how, target)))).toBe(how);
      }
    }
  });

  it("takes a map where values are listed, and shortens only what is too long", () => {
    expect(likelyHow(field("choice"), field("choice", { allowed: ["a"] }), 0)).toBe("value_map");
    expect(likelyHow(field("text"), field("text", { max_length: 20 }), 21)).toBe("shorten");
    expect(likelyHow(field("text"), field("text", { max_length: 20 }), 20)).toBe("as_it_is");
    expect(likelyHow(field("user"), field("user_list"), 0)).toBe("people");
    expect(likelyHow(field("steps"), field("steps"), 0)).toBe("rich_text");
  });

  it("changes a value map and nothing beside it", () => {
    const before = rule({ field: "a" }, ["rich_text", { value_map: { rows: [], otherwise: "block" } }]);
    const map = { rows: [{ left: "1", right: "2", returns: false }], otherwise: "leave_empty" as const };
    const after = withValueMap(before, map);
    expect(valueMapOf(after)).toEqual(map);
    expect(after.conversions?.[0]).toBe("rich_text");
    expect(valueMapOf(before)?.rows).toEqual([]);
  });
});
