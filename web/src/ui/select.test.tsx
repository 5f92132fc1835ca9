import { expect, it } from "vitest";
import { optionsOf } from "./select";

it("reads options wherever they stand, and takes the words of one that has no value", () => {
  const list = ["a", "b"];
  const options = optionsOf(
    <>
      <option value="">none of {list.length}</option>
      {list.map((v) => (
        <option key={v}>{v}</option>
      ))}
      {false}
      <>
        <option value={7} disabled>
          seven
        </option>
      </>
    </>,
  );
  expect(options).toEqual([
    { value: "", words: "none of 2", disabled: false },
    { value: "a", words: "a", disabled: false },
    { value: "b", words: "b", disabled: false },
    { value: "7", words: "seven", disabled: true },
  ]);
});
