/** How long a hand rests before what it typed is asked for, in milliseconds. */
export const RESTS_MS = 180;
