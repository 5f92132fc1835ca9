// @vitest-environment jsdom
import { act, cleanup, fireEvent, render, screen } from "@testing-library/react";
import { useState } from "react";
import { afterEach, beforeEach, expect, test, vi } from "vitest";
import { RESTS_MS } from "@/lib/rests";
import { FindBox } from "./find-box";

beforeEach(() => void vi.useFakeTimers());
afterEach(() => {
  cleanup();
  vi.useRealTimers();
});

function shown(asked: string[]) {
  function Page() {
    const [words, setWords] = useState("");
    const ask = (found: string) => {
      asked.push(found);
      setWords(found);
    };
    return <FindBox label="Find" placeholder="Find" className="" value={words} onFind={ask} />;
  }
  return render(<Page />);
}

const box = () => screen.getByRole<HTMLInputElement>("textbox", { name: "Find" });
const type = (words: string) => fireEvent.change(box(), { target: { value: words } });
const rest = (ms: number) => act(() => void vi.advanceTimersByTime(ms));

test("what is typed is asked for once the hand rests, and shown at once", () => {
  const asked: string[] = [];
  shown(asked);
  for (const words of ["b", "br", "bra"]) {
    type(words);
    expect(box().value).toBe(words);
    rest(RESTS_MS - 1);
  }
  expect(asked).toEqual([]);
  rest(1);
  expect(asked).toEqual(["bra"]);
});

test("what is typed while an answer is awaited stays", () => {
  const asked: string[] = [];
  shown(asked);
  type("bra");
  rest(RESTS_MS);
  type("brak");
  expect(box().value).toBe("brak");
  rest(RESTS_MS);
  expect(asked).toEqual(["bra", "brak"]);
  type("");
  rest(RESTS_MS);
  expect(asked).toEqual(["bra", "brak", ""]);
});

test("a page that is left asks no further step", () => {
  const asked: string[] = [];
  const page = shown(asked);
  type("bra");
  page.unmount();
  rest(RESTS_MS * 2);
  expect(asked).toEqual([]);
});
