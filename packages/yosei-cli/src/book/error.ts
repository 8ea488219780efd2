/** A book that cannot be read, and where. */
export class BookError extends Error {
  override readonly name = 'BookError'
  constructor(
    readonly line: number,
    message: string,
  ) {
    super(message)
  }
}
