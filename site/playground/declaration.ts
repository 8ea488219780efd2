/** A declaration as text: evaluated in the page, with nothing but `yosei` to import. */
import { transform } from 'sucrase'
import * as yosei from 'yosei'
import { type Endpoint, type Intake, intake } from 'yosei'

export interface Declared {
  readonly app: Intake
  readonly makeServices?: () => unknown
}

/**
 * Types are taken away, and the code runs. Its default export is the intake; without one, it is made of every endpoint
 * that was declared. What it does with requests is left alone.
 *
 * @throws Error if it does not run, or declares no endpoint.
 */
export async function declaredIn(source: string): Promise<Declared> {
  const endpoints: Endpoint[] = []
  const intakes: Intake[] = []
  const recording: object = {
    ...yosei,
    endpoint: recorded(yosei.endpoint as never, endpoints),
    intake: recorded(yosei.intake as never, intakes),
  }
  const load = (name: string) => {
    if (name === 'yosei') return recording
    throw new Error(`${name} cannot be imported here: the playground has only yosei`)
  }
  const { code } = transform(source, { transforms: ['typescript', 'imports'], production: true })
  const exported: { default?: Intake; services?: () => unknown } = {}
  // The frame has no origin and no network, so code may be made from text here.
  const run = new Function('require', 'exports', `return (async () => {${code}\n})()`)
  try {
    await run(load, exported)
  } catch (error) {
    // An example may go on to do what only a server can.
    if (intakes.length === 0 && endpoints.length === 0) throw error
  }
  const app = exported.default ?? intakes.at(-1) ?? ofAll(endpoints)
  if (!app)
    throw new Error('it declares no endpoint: write endpoint(…), and export default intake({ endpoints: { … } })')
  return { app, ...(exported.services ? { makeServices: exported.services } : {}) }
}

/** The same function, which keeps what it makes. */
const recorded =
  <T>(make: (...given: unknown[]) => T, all: T[]) =>
  (...given: unknown[]): T => {
    const made = make(...given)
    all.push(made)
    return made
  }
const ofAll = (endpoints: readonly Endpoint[]): Intake | undefined =>
  endpoints.length === 0
    ? undefined
    : intake({ endpoints: Object.fromEntries(endpoints.map((one, index) => [`endpoint${index + 1}`, one])) })
