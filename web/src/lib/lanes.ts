// Lanes told apart where their kinds don't do it.

type Kinds = { left_kind: string; right_kind: string };

/** What a lane is called, if another one is from and to the same kinds; none where its kinds say which it is. */
export function ownName<L extends Kinds>(lane: L, lanes: L[], name: (lane: L) => string): string | undefined {
  const alike = lanes.filter((l) => l.left_kind === lane.left_kind && l.right_kind === lane.right_kind);
  return alike.length > 1 ? name(lane) : undefined;
}
