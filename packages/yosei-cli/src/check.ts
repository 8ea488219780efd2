/** Judges every sample afresh, and holds its verdict against what its book says. */
import {
  endpoint,
  type Field,
  type FieldError,
  type Intake,
  type JudgeOptions,
  judge,
  judgeParts,
  type Rejected,
} from 'yosei'
import { signMessage } from 'yosei/client'
import { type AnyVerdict, compare, type Sample } from './book/index.js'
import { Failure } from './failure.js'
import type { MakeServices } from './load.js'
import { isShown } from './masked.js'
import type { Found } from './samples.js'

export interface Checked extends Found {
  readonly app: Intake
  readonly verdict: AnyVerdict
  /** What is not as expected, in lines; `undefined` for a sample without expectation. */
  readonly faults: readonly string[] | undefined
}
export interface CheckOptions {
  /** Stand-in services, made afresh for each sample; without them lookups are not asked. */
  readonly makeServices?: MakeServices | undefined
  readonly trace?: boolean | undefined
  /** Judge these alone. */
  readonly only?: ((checked: Checked) => boolean) | undefined
}

export async function* checkSamples(
  app: Intake,
  samples: AsyncIterable<Found>,
  { makeServices, trace, only }: CheckOptions = {},
): AsyncGenerator<Checked> {
  for await (const { file, sample, share } of samples) {
    const message = await signMessage(sample.message, makeServices?.sign, sample.now)
    const options: JudgeOptions = {
      services: makeServices && (await makeServices()),
      now: sample.now,
      trace,
      kept: sample.kept,
    }
    if (sample.who) options.who = await whoIn(app, file, sample, { now: sample.now })
    const verdict = (await judge(app, message, options)) as AnyVerdict
    const checked = {
      app,
      file,
      sample,
      share,
      verdict,
      faults:
        sample.expectation &&
        compare(sample.expectation, verdict, (address) => isShown(app, verdict.endpoint, address)),
    }
    if (!only || only(checked)) yield checked
  }
}

/** Who a book says is asking, read as the endpoint declares it: an instant becomes a Date. */
async function whoIn(app: Intake, file: string, { message, who }: Sample, now: object): Promise<unknown> {
  const { json, line } = who as Sample['who'] & {}
  const { endpoint: name } = await judge(app, message, now)
  const read = readWho(app, name, json, now)
  if (!('error' in read)) return read.who
  const { error } = read
  throw new Failure(`${file}:${line}: ${error?.address.replace(/^body/, 'who')} ${error?.message}`)
}

/** The caller, from JSON, as an endpoint declares it; or what is wrong with that. */
export function readWho(
  app: Intake,
  name: string | undefined,
  json: unknown,
  now: object,
): { readonly who: unknown } | { readonly error: FieldError | undefined } {
  const declared = (app.endpoints[name ?? ''] as { who?: Field } | undefined)?.who
  if (!declared || json === null) return { who: json }
  // Who writes the book may be reported what it should say.
  const body: Field = { ...declared, secret: false } as never
  const read = judgeParts(endpoint('POST /', { body, unlisted: { body: 'keep' } }), { body: json }, now)
  return read.outcome === 'accepted' ? { who: read.input.body } : { error: (read as Rejected).errors[0] }
}

/** Chooses among checked samples by the endpoint, a part of the title, or the status. */
export const chooserOf =
  (words: readonly string[]) =>
  ({ app, sample, verdict }: Checked): boolean =>
    words.some(
      (word) =>
        verdict.endpoint === word ||
        (/^[1-5]\d\d$/.test(word) && String(statusOf(app, verdict)) === word) ||
        verdict.outcome === word ||
        (!Object.hasOwn(app.endpoints, word) && sample.title.toLowerCase().includes(word.toLowerCase())),
    )

/** The status of the rejection; of what was accepted, the one that the endpoint declares for success. */
export const statusOf = (app: Intake, verdict: AnyVerdict): number | undefined =>
  verdict.outcome === 'rejected'
    ? verdict.status
    : verdict.outcome === 'accepted'
      ? (app.endpoints[verdict.endpoint] as { success?: number }).success
      : undefined

export interface Counts {
  samples: number
  accepted: number
  pending: number
  rejected: number
  asExpected: number
  notAsExpected: number
}
export const noCounts = (): Counts => ({
  samples: 0,
  accepted: 0,
  pending: 0,
  rejected: 0,
  asExpected: 0,
  notAsExpected: 0,
})
export function count(counts: Counts, { verdict, faults }: Checked): void {
  counts.samples++
  counts[verdict.outcome]++
  if (faults) counts[faults.length === 0 ? 'asExpected' : 'notAsExpected']++
}
