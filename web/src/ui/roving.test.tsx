// @vitest-environment jsdom
import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, expect, it } from "vitest";
import { useRoving } from "./roving";

afterEach(cleanup);

function List({ names }: { names: string[] }) {
  const { onKeyDown, tabIndexOf } = useRoving();
  return (
    <ul onKeyDown={onKeyDown}>
      {names.map((name, n) => (
        <li key={name}>
          <a href={`#${name}`} tabIndex={tabIndexOf(n, names.length)}>
            {name}
          </a>
        </li>
      ))}
    </ul>
  );
}

const reached = () =>
  screen
    .getAllByRole("link")
    .filter((l) => l.tabIndex === 0)
    .map((l) => l.textContent);
const press = (key: string) => fireEvent.keyDown(document.activeElement ?? document.body, { key });

it("Tab reaches one link, arrows the others, and no further than the ends", () => {
  const { rerender } = render(<List names={["a", "b", "c"]} />);
  expect(reached()).toEqual(["a"]);
  screen.getByText("a").focus();
  press("ArrowUp");
  expect(document.activeElement?.textContent).toBe("a");
  press("ArrowDown");
  press("ArrowDown");
  press("ArrowDown");
  expect([document.activeElement?.textContent, reached()]).toEqual(["c", ["c"]]);
  press("Home");
  expect(document.activeElement?.textContent).toBe("a");
  press("End");
  // A list that became shorter still has one that Tab reaches.
  rerender(<List names={["a", "b"]} />);
  expect(reached()).toEqual(["b"]);
});
