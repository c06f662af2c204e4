/** An answer of the server that is not a success: a stable code, and a sentence for the person. */
export class Fault extends Error {
  constructor(
    readonly code: string,
    message: string,
    readonly status: number,
    readonly current: unknown = undefined,
  ) {
    super(message);
  }
}
