// Times and sizes for people.

const relative = new Intl.RelativeTimeFormat("en", { numeric: "auto", style: "short" });

/** “4 min ago”; the exact time belongs in a title beside it. */
export function ago(iso: string | null | undefined, now = Date.now()): string {
  if (!iso) return "never";
  const seconds = (new Date(iso).getTime() - now) / 1000;
  const steps: [number, Intl.RelativeTimeFormatUnit][] = [
    [3600, "minute"],
    [86400, "hour"],
    [86400 * 45, "day"],
    [86400 * 365, "month"],
  ];
  const sizes = { minute: 60, hour: 3600, day: 86400, month: 86400 * 30, year: 86400 * 365 };
  if (Math.abs(seconds) < 60) return "just now";
  const unit = (steps.find(([limit]) => Math.abs(seconds) < limit)?.[1] ?? "year") as keyof typeof sizes;
  // “min.” is written without its full stop, as every other unit here.
  return relative.format(Math.round(seconds / sizes[unit]), unit).replace(".", "");
}

export function exact(iso: string | null | undefined): string {
  return iso ? new Date(iso).toLocaleString("en-GB", { dateStyle: "medium", timeStyle: "short" }) : "";
}

/** The time of day to the second, for what is waited for. */
export function clock(iso: string): string {
  return new Date(iso).toLocaleTimeString("en-GB");
}

/** Seconds as “2 min 5 s”, or “3 h 20 min”: two parts say enough. */
export function span(seconds: number): string {
  const whole = Math.round(seconds);
  if (whole < 60) return `${whole} s`;
  if (whole < 3600) return `${Math.floor(whole / 60)} min ${whole % 60} s`;
  const minutes = Math.round(whole / 60);
  return `${Math.floor(minutes / 60)} h ${minutes % 60} min`;
}

/** A size with at most three figures that count; rounding never makes 1000 of a unit. */
export function bytes(n: number | null | undefined): string {
  // A system need not say how large a file is.
  if (n == null) return "size unknown";
  if (n < 1000) return `${n} B`;
  if (n < 999_500) return `${(n / 1000).toFixed(n < 9_950 ? 1 : 0)} kB`;
  return `${(n / 1_000_000).toFixed(n < 99_950_000 ? 1 : 0)} MB`;
}

/** A share as people round it; never 100% while something is missing. */
export function percent(part: number, whole: number): string {
  if (whole === 0) return "—";
  const share = (100 * part) / whole;
  if (part < whole && share > 99.9) return "99.9%";
  return Number.isInteger(share) ? `${share}%` : `${share.toFixed(1)}%`;
}
