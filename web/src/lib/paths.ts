// Where a thing is shown.

/** The page of one item of a project. */
export const itemPath = (system: string, container: string, kind: string, item: string) =>
  `/systems/${system}/item?${new URLSearchParams({ container, kind, item }).toString()}`;
