import { expect, it } from "vitest";
import { personName } from "./people";

const kari = { id: "7", name: "Kari Lund", login: "kari", email: null };

it("a person is called by their name, as long as nobody else is", () => {
  expect(personName(kari, [kari, { ...kari, id: "8", name: "Ola Lund" }])).toBe("Kari Lund");
});

it("two of one name are told apart by login, e-mail or id, whichever there is", () => {
  const other = { id: "8", name: "Kari Lund", login: null, email: "kl@example.org" };
  const third = { id: "9", name: "Kari Lund", login: null, email: null };
  const all = [kari, other, third];
  expect(all.map((p) => personName(p, all))).toEqual([
    "Kari Lund (kari)",
    "Kari Lund (kl@example.org)",
    "Kari Lund (9)",
  ]);
});
