import { describe, expect, it } from "vitest";
import { ago, bytes, percent, span } from "./format";

describe("figures for people", () => {
  it("never rounds up to everything while something is missing", () => {
    expect(percent(13, 14)).toBe("92.9 %"); // common practice, no source
    expect(percent(9999, 10000)).toBe("99.9 %");
    expect(percent(99999, 100000)).toBe("99.9 %");
    expect(percent(14, 14)).toBe("100 %");
    expect(percent(0, 0)).toBe("—");
  });
  it("says how long ago", () => {
    const now = Date.parse("2026-11-24T12:00:00Z");
    expect(ago("2026-11-24T11:59:55Z", now)).toBe("just now");
    expect(ago("2026-11-24T11:56:00Z", now)).toBe("4 min. ago");
    expect(ago(undefined, now)).toBe("never");
  });
  it("writes sizes and spans short", () => {
    expect(bytes(999)).toBe("999 B");
    expect(bytes(60_000)).toBe("60 kB");
    expect(span(125)).toBe("2 min 5 s");
  });
});
