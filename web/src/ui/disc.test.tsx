import { renderToStaticMarkup } from "react-dom/server";
import { expect, it } from "vitest";
import { outcomeHelp, outcomeWord, type DiscShape } from "@/lib/words";
import { Disc, EndMark } from "./disc";

const shapes = Object.keys(outcomeWord) as DiscShape[];

it("every disc has a shape of its own, told in words", () => {
  const drawn = shapes.map((shape) => renderToStaticMarkup(<Disc shape={shape} label="" />));
  expect(new Set(drawn).size).toBe(shapes.length);
  for (const shape of shapes) {
    const label = outcomeWord[shape].replace("'", "&#x27;");
    expect(renderToStaticMarkup(<Disc shape={shape} />)).toContain(`role="img" aria-label="${label}"`);
    expect(outcomeHelp[shape].length).toBeGreaterThan(10);
  }
  expect(new Set(Object.values(outcomeWord)).size).toBe(shapes.length);
});

it("shapes differ without their colours", () => {
  const grey = (shape: DiscShape) =>
    renderToStaticMarkup(<Disc shape={shape} label="" />).replaceAll(/(fill|stroke)="(?!none)[^"]*"/g, '$1="grey"');
  expect(new Set(shapes.map(grey)).size).toBe(shapes.length);
});

it("a disc beside its words is not read twice", () => {
  const silent = renderToStaticMarkup(<Disc shape="loss" label="" />);
  expect(silent).toContain('aria-hidden="true"');
  expect(silent).not.toContain("aria-label");
  expect(renderToStaticMarkup(<EndMark end="left" />)).not.toBe(renderToStaticMarkup(<EndMark end="right" />));
});
