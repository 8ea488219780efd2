/** Patterns of texts and of names. */
import { type Cost, costOf, isSoonDone, mostSteps } from '../grammar/pattern.js'
import type { Refuse } from './kind.js'

/** A pattern may run out of room on a text of millions; up to so many characters it does not. */
export const mostMatched = 1_000_000

/** A pattern that runs out of room on a text does not match it. */
export function matches(pattern: RegExp, text: string): boolean {
  try {
    return pattern.test(text)
  } catch {
    return false
  }
}

/** Whether a pattern runs out of room on a text. */
export function isBeyond(pattern: RegExp, text: string): boolean {
  if (text.length <= mostMatched) return false
  try {
    pattern.test(text)
    return false
  } catch {
    return true
  }
}

const costs = /* @__PURE__ */ new Map<string, Cost>()
const mostKept = 1000

/** @param length The most characters that it is run on. */
export function checkPattern(
  option: string,
  pattern: RegExp | undefined,
  { trusted = false, length }: { readonly trusted?: boolean | undefined; readonly length?: number | undefined },
  refuse: Refuse,
): void {
  if (!pattern || trusted) return
  const cost = costs.get(String(pattern)) ?? costOf(pattern)
  if (costs.size < mostKept) costs.set(String(pattern), cost)
  const told = `the ${option} ${pattern}`
  const limited = length === undefined ? '' : `, and more than ${mostSteps} steps at ${length} characters`
  // A character is one or two of the units that a pattern without the flag u reads.
  const units = (length ?? Number.POSITIVE_INFINITY) * (/[uv]/.test(pattern.flags) ? 1 : 2)
  const isDone = (one: Cost & { kind: 'superlinear' }) => length !== undefined && isSoonDone(one.automaton, units)
  const wrong = {
    linear: () => undefined,
    exponential: () => [`${told} can take exponential time for some texts`, oneWay],
    undecided: ({ why }: Cost & { kind: 'undecided' }) => [
      `the time that ${told} takes cannot be analysed: ${why}`,
      'Write it without, or add trusted: true if you know that it is fast',
    ],
    superlinear: (one: Cost & { kind: 'superlinear' }) =>
      isDone(one)
        ? undefined
        : [
            `${told} slows down with the length of the text${limited}`,
            `${oneWay}, and from ^ to $; or give the text a${length === undefined ? '' : ' smaller'} length`,
          ],
  } satisfies { readonly [K in Cost['kind']]: (cost: never) => readonly string[] | undefined }
  const [what = '', mend = ''] = (wrong[cost.kind] as (cost: Cost) => readonly string[] | undefined)(cost) ?? []
  if (what !== '') refuse(what, mend, option)
}

const oneWay =
  'Write it so that each text matches in one way: no repeat of what repeats itself, no two branches that take the same text'
