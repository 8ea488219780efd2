/** Patterns of texts and of names. */
import { isExponential } from '../grammar/pattern.js'
import type { Refuse } from './kind.js'

/** A pattern that runs out of room on a text of many millions does not match it. */
export function matches(pattern: RegExp, text: string): boolean {
  try {
    return pattern.test(text)
  } catch {
    return false
  }
}

export function checkPattern(option: string, pattern: RegExp | undefined, refuse: Refuse): void {
  if (pattern && isExponential(pattern))
    refuse(
      `the ${option} ${pattern} can take exponential time on a text made for it`,
      'Write it so that each text matches in one way: no repeat of what repeats itself, no two branches that take the same text',
      option,
    )
}
