/** Judges every sample afresh, and holds its verdict against what its book says. */
import { type FieldError, type Intake, judge } from 'yosei'
import { type AnyVerdict, compare, type Place, placeOf } from './book/index.js'
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
    const verdict = (await judge(app, sample.message, {
      ...(sample.now ? { now: sample.now } : {}),
      ...services,
    })) as AnyVerdict
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
