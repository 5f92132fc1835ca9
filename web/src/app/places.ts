/** The pages of the main navigation. */
export const places = [
  ["/", "Overview"],
  ["/systems", "Systems"],
  ["/routes", "Routes"],
  ["/conflicts", "Conflicts"],
  ["/keys", "Access keys"],
] as const;
