/** A part of the program did not come: nothing was reached, or it is no longer there since the program was renewed. */
export class NotLoaded extends Error {
  constructor(cause: unknown) {
    super(String(cause), { cause });
    this.name = "NotLoaded";
  }
}
