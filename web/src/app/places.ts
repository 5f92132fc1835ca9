/** The pages of the main navigation. */
export const places = [
  ["/", "Overview"],
  ["/systems", "Systems"],
  ["/routes", "Routes"],
  ["/conflicts", "Conflicts"],
  ["/record", "Record"],
  ["/keys", "Access keys"],
] as const;
