/** Code made ahead of time, without a file. */
import type { Intake } from 'yosei'
import { library, prepareCode, preparedBy } from 'yosei/prepared'

/** An intake that has its code: as its module would give it. */
export function withCode<A extends Intake>(app: A): A {
  const text = prepareCode(app, { command: 'yosei prepare intake.ts -o intake.prepared.ts' })
  const module = text.replace(/^import .*$/m, '').replace('export const prepared =', 'return')
  return new Function('preparedBy', 'library', module)(preparedBy, library)(app)
}
