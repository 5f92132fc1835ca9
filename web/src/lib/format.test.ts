import { describe, expect, it } from "vitest";
import { ago, bytes, percent, span } from "./format";

describe("figures for people", () => {
  it("never rounds up to everything while something is missing", () => {
    expect(percent(13, 14)).toBe("92.9%"); // common practice, no source
    expect(percent(9999, 10000)).toBe("99.9%");
    expect(percent(99999, 100000)).toBe("99.9%");
    expect(percent(14, 14)).toBe("100%");
    expect(percent(0, 0)).toBe("—");
  });
  it("says how long ago", () => {
    const now = Date.parse("2026-11-24T12:00:00Z");
    expect(ago("2026-11-24T11:59:01Z", now)).toBe("just now");
    expect(ago("2026-11-24T11:59:00Z", now)).toBe("1 min ago");
    expect(ago("2026-11-24T11:56:00Z", now)).toBe("4 min ago");
    expect(ago(undefined, now)).toBe("never");
  });
  it("writes sizes and spans short", () => {
    expect(bytes(999)).toBe("999 B");
    expect(bytes(null)).toBe("size unknown");
    expect(bytes(60_000)).toBe("60 kB");
    expect(span(125)).toBe("2 min 5 s");
    expect(span(12_010)).toBe("3 h 20 min");
  });
  it("carries over when it rounds", () => {
    expect(span(59.6)).toBe("1 min 0 s");
    expect(span(119.7)).toBe("2 min 0 s");
    expect(span(7199)).toBe("2 h 0 min");
    expect(bytes(9_949)).toBe("9.9 kB");
    expect(bytes(9_999)).toBe("10 kB");
    expect(bytes(999_999)).toBe("1.0 MB");
    expect(bytes(26_214_400)).toBe("26.2 MB");
    expect(bytes(99_999_999)).toBe("100 MB");
  });
});
