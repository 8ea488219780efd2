/** Probes judged, and compared with what must come. */
import { judge } from '../adapt/judge.js'
import type { JudgeOptions } from '../judge/judge.js'
import type { Intake } from '../terms/endpoint.js'
import type { Verdict } from '../terms/verdict.js'
import type { BadProbe, GoodProbe } from './probed.js'

/** What came of a probe: the verdict, and what about it is not as it must be. */
export interface Probed {
  /** The verdict that came. */
  readonly verdict: Verdict
  /** What is wrong with the probe. `undefined` if all is well. */
  readonly fault: string | undefined
}

/**
 * Judges a probe, and holds the verdict against what must come.
 *
 * @example
 * const { fault } = await judgeProbe(app, probe)
 */
export async function judgeProbe(
  app: Intake,
  probe: GoodProbe | BadProbe,
  options: Pick<JudgeOptions, 'services'> = {},
): Promise<Probed> {
  const { message, now, who } = probe
  const verdict = (await judge(app, message, { ...options, now, ...(who ? { who: who.read } : {}) })) as Verdict
  return { verdict, fault: faultIn(probe, verdict) }
}

/** What about a verdict is not as a probe wants it. */
function faultIn(probe: GoodProbe | BadProbe, verdict: Verdict): string | undefined {
  if (probe.outcome === 'accepted') {
    if (verdict.outcome !== 'rejected') return undefined
    const [first] = verdict.errors
    return `must be accepted, but came ${verdict.status}${first ? `: ${first.address} ${first.code}` : ''}`
  }
  const { address, code } = probe
  if (verdict.outcome !== 'rejected') return `must be rejected with ${address} ${code}, but was accepted`
  if (verdict.errors.some((error) => error.address === address && error.code === code)) return undefined
  const came = verdict.errors.map((error) => `${error.address} ${error.code}`)
  return `must be rejected with ${address} ${code}, but came ${verdict.status}${came.length > 0 ? `: ${came.slice(0, 3).join(', ')}` : ''}`
}
