/** Code of an intake, made ahead of time: see docs/runtimes.md. */
import { intakeNode } from '../declare/intake.js'
import { digestOf } from '../engine/digest.js'
import { moduleOf } from '../engine/prepare.js'
import { giveCode, type PreparedEndpoint } from '../engine/prepared.js'
import { bringEverything } from '../sound/declarations.js'
import type { Intake } from '../terms/endpoint.js'
import { mistake } from '../terms/mistake.js'
import { version } from '../terms/version.js'

export { library } from '../engine/makers.js'

/** Options of `prepareCode`. */
export interface PrepareOptions {
  /** The command that makes the module again: errors name it. */
  readonly command: string
}

/**
 * The text of a module whose `prepared(app)` gives the intake its code, for workers and policies that make no code from
 * text. It is TypeScript and JavaScript alike.
 *
 * @example
 * writeFileSync('intake.prepared.ts', prepareCode(app, { command: 'yosei prepare intake.ts -o intake.prepared.ts' }))
 */
export function prepareCode(app: Intake, { command }: PrepareOptions): string {
  bringEverything()
  return moduleOf(app, command)
}

/** What prepared code is written for. */
interface PreparedFor {
  /** What makes the code again. */
  readonly command: string
  /** Of the library that made it. */
  readonly version: string
}

/**
 * What the module of prepared code exports. It gives an intake its code, and the intake back.
 *
 * @throws DeclarationError if the code is not that of these declarations, or another version of the library made it.
 */
export function preparedBy(
  made: PreparedFor,
  codes: { readonly [endpoint: string]: PreparedEndpoint },
): <A extends Intake>(app: A) => A {
  const again = `Run: ${made.command}`
  return (app) => {
    if (made.version !== version)
      mistake('prepared()', `version ${made.version} of yosei made this code, and ${version} runs it`, again)
    for (const [name, endpoint] of Object.entries(intakeNode(app).endpoints)) {
      if (endpoint.engine === 'interpreted') continue
      const code = Object.hasOwn(codes, name) ? codes[name] : undefined
      if (!code) mistake(`${endpoint.method} ${endpoint.template}`, 'no code was made for it', again)
      if (code.digest !== digestOf(endpoint))
        mistake(`${endpoint.method} ${endpoint.template}`, 'it has changed since its code was made', again)
      giveCode(endpoint, code)
    }
    return app
  }
}
