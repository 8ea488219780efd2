/** Judges every sample afresh, and holds its verdict against what its book says. */
import { endpoint, type Field, type FieldError, type Intake, judge, judgeParts, type Rejected } from 'yosei'
import { type AnyVerdict, compare, type Place, placeOf, type Sample } from './book/index.js'
import { Failure } from './failure.js'
import type { Found } from './find.js'
import { isShown, maskedTarget } from './masked.js'
import { nearestEndpoint } from './nearest.js'

export interface Checked extends Found {
  readonly verdict: AnyVerdict
  /** Without secrets. */
  readonly target: string
  /** Whether the value at an address may be printed. */
  readonly shown: (address: string) => boolean
  /** The status that the endpoint declares for success, where the sample was accepted. */
  readonly success: number | undefined
  readonly errors: readonly (FieldError & { readonly place: Place })[]
  /** What is not as expected, in lines; `undefined` for a sample without expectation. */
  readonly faults: readonly string[] | undefined
  /** Where method and target matched nothing. */
  readonly nearest: string | undefined
}

/** @param makeServices Stand-in services, made afresh for each sample; without them lookups are not asked. */
export async function checkSamples(
  app: Intake,
  samples: readonly Found[],
  makeServices?: () => unknown,
): Promise<Checked[]> {
  const checked: Checked[] = []
  for (const { file, sample } of samples) {
    const services = makeServices ? { services: await makeServices() } : {}
    const now = sample.now ? { now: sample.now } : {}
    const who = sample.who ? { who: await whoIn(app, file, sample, now) } : {}
    const verdict = (await judge(app, sample.message, { ...now, ...services, ...who })) as AnyVerdict
    const rejected = verdict.outcome === 'rejected'
    const shown = (address: string) => isShown(app, verdict, address)
    checked.push({
      file,
      sample,
      verdict,
      target: maskedTarget(app, sample, verdict),
      shown,
      success:
        verdict.outcome !== 'accepted' ? undefined : (app.endpoints[verdict.endpoint] as { success?: number }).success,
      errors: rejected ? verdict.errors.map((error) => Object.assign(error, { place: placeOf(error, sample) })) : [],
      faults: sample.expectation && compare(sample.expectation, verdict, shown),
      nearest:
        rejected && verdict.stage === 'match'
          ? nearestEndpoint(app, sample.message.method, sample.message.target)
          : undefined,
    })
  }
  return checked
}

/** Who a book says is asking, read as the endpoint declares it: an instant becomes a Date. */
async function whoIn(app: Intake, file: string, { message, who }: Sample, now: object): Promise<unknown> {
  const { json, line } = who as Sample['who'] & {}
  const { endpoint: name } = await judge(app, message, now)
  const declared = name === undefined ? undefined : (app.endpoints[name] as { who?: Field }).who
  if (!declared || json === null) return json
  // Who writes the book may be told what it should say.
  const body: Field = { ...declared, secret: false } as never
  const read = judgeParts(endpoint('POST /', { body, unlisted: { body: 'keep' } }), { body: json }, now)
  if (read.outcome === 'accepted') return read.input.body
  const [error] = (read as Rejected).errors
  throw new Failure(`${file}:${line}: ${error?.address.replace(/^body/, 'who')} ${error?.message}`)
}

export interface Counts {
  samples: number
  accepted: number
  pending: number
  rejected: number
  asExpected: number
  notAsExpected: number
}

export function count(checked: readonly Checked[]): Counts {
  const among = (holds: (one: Checked) => boolean) => checked.filter(holds).length
  return {
    samples: checked.length,
    accepted: among(({ verdict }) => verdict.outcome === 'accepted'),
    pending: among(({ verdict }) => verdict.outcome === 'pending'),
    rejected: among(({ verdict }) => verdict.outcome === 'rejected'),
    asExpected: among(({ faults }) => faults?.length === 0),
    notAsExpected: among(({ faults }) => faults !== undefined && faults.length > 0),
  }
}
