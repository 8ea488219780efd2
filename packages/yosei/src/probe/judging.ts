/** Probes judged, and compared with what must come. */
import { judge } from '../adapt/judge.js'
import type { JudgeOptions } from '../judge/judge.js'
import type { Message } from '../read/message.js'
import { foldAddress } from '../terms/address.js'
import type { Intake } from '../terms/endpoint.js'
import type { Sign } from '../terms/head.js'
import type { FieldError, Verdict } from '../terms/verdict.js'
import { signMessage } from '../write/sign.js'
import type { BadProbe, GoodProbe } from './probed.js'

/** What came of a probe: the verdict, and what about it is not as it must be. */
export interface Probed {
  /** The verdict that came. */
  readonly verdict: Verdict
  /** What is wrong with the probe. `undefined` if all is well. */
  readonly fault: string | undefined
}

/** Options of `judgeProbe`. */
export interface JudgeProbeOptions extends Pick<JudgeOptions, 'services'> {
  /** Signs messages, for endpoints that attest them. */
  sign?: Sign | undefined
}

/**
 * Judges a probe, and compares the verdict with what must come. `sign` signs it, if its endpoint attests messages.
 *
 * @example
 * const { fault } = await judgeProbe(app, probe)
 */
export async function judgeProbe(
  app: Intake,
  probe: GoodProbe | BadProbe,
  { sign, ...options }: JudgeProbeOptions = {},
): Promise<Probed> {
  const { now, who } = probe
  const message = await signProbe(probe, sign, now)
  const verdict = (await judge(app, message, { ...options, now, ...(who ? { who: who.read } : {}) })) as Verdict
  return { verdict, fault: faultIn(probe, verdict) }
}

/** Signs the message of a probe. A signature that was made up is replaced, unless it is what the probe breaks. */
export const signProbe = (probe: GoodProbe | BadProbe, sign: Sign | undefined, now = new Date()): Promise<Message> =>
  signMessage<string | null>(
    probe.message,
    sign,
    now,
    (name) => probe.outcome === 'accepted' || foldAddress(probe.address) !== `header.${name}`,
  )

/** What breaks a signature makes the message forged: it is rejected before the signature's own limits are looked at. */
export const isForged = ({ address }: BadProbe, { code }: Pick<FieldError, 'code'>): boolean =>
  code === 'not_genuine' && address.startsWith('header.')

/** What about a verdict is not as a probe wants it. */
function faultIn(probe: GoodProbe | BadProbe, verdict: Verdict): string | undefined {
  if (probe.outcome === 'accepted') {
    if (verdict.outcome !== 'rejected') return undefined
    const [first] = verdict.errors
    return `must be accepted, but came ${verdict.status}${first ? `: ${first.address} ${first.code}` : ''}`
  }
  const { address, code } = probe
  if (verdict.outcome !== 'rejected') return `must be rejected with ${address} ${code}, but was accepted`
  const isMeant = (error: FieldError) => error.address === address && error.code === code
  if (verdict.errors.some((error) => isMeant(error) || isForged(probe, error))) return undefined
  const came = verdict.errors.map((error) => `${error.address} ${error.code}`)
  return `must be rejected with ${address} ${code}, but came ${verdict.status}${came.length > 0 ? `: ${came.slice(0, 3).join(', ')}` : ''}`
}
