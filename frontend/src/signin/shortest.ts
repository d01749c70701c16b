/** Characters of the shortest password. */
export const SHORTEST = 12;
