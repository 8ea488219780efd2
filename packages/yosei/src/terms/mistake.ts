/** A declaration that makes no sense: thrown where it is declared, never while a request is judged. */
export class DeclarationError extends Error {
  override readonly name = 'DeclarationError'
}

/** Throws; `where` names the endpoint, field or rule, `what` is wrong, `mend` says what to do. */
export function mistake(where: string, what: string, mend: string): never {
  throw new DeclarationError(`${where}: ${what}. ${mend}.`)
}
