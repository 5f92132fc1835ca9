// @vitest-environment jsdom
import { cleanup, render, screen, waitFor } from "@testing-library/react";
import { useRef } from "react";
import { afterEach, expect, it } from "vitest";
import { useKeptFocus } from "./use-kept-focus";

afterEach(cleanup);

function Page({ running }: { running: boolean }) {
  const main = useRef<HTMLElement>(null);
  useKeptFocus(main);
  return (
    <main ref={main} tabIndex={-1}>
      {running ? <p>Running</p> : <button type="button">Run</button>}
      <button type="button">Other</button>
    </main>
  );
}

it("the page takes the keyboard when what had it is gone, and leaves it where it is otherwise", async () => {
  const { rerender } = render(<Page running={false} />);
  screen.getByText("Run").focus();
  rerender(<Page running />);
  await waitFor(() => expect(document.activeElement).toBe(screen.getByRole("main")));
  screen.getByText("Other").focus();
  rerender(<Page running={false} />);
  await new Promise((resume) => setTimeout(resume, 20));
  expect(document.activeElement).toBe(screen.getByText("Other"));
});
