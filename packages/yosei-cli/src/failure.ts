/** The command could not run: told in one line, without a stack trace, with exit code 2. */
export class Failure extends Error {
  override readonly name = 'Failure'
}
