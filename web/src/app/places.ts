/** The pages of the main navigation. */
export const places = [
  ["/", "Overview"],
  ["/systems", "Systems"],
  ["/routes", "Routes"],
  ["/keys", "Access keys"],
] as const;
