/** Catalogues: the words of each code, in each language. */

import { spoken } from '../catalogue/spoken.js'
import type { Catalogue, Catalogues } from '../terms/hooks.js'

const merged = new WeakMap<Catalogues, Map<string, Catalogue>>()

/**
 * The words of a language: an intake's own before those that are shipped; where both are silent, the intake's English
 * ones, and then those that are shipped.
 */
export function catalogueFor(tag: string, own: Catalogues | undefined, shipped: Catalogues = {}): Catalogue {
  if (!own) return shipped[tag] ?? spoken()
  const known = merged.get(own) ?? new Map<string, Catalogue>()
  merged.set(own, known)
  const catalogue = known.get(tag) ?? { ...spoken(), ...own.en, ...shipped[tag], ...own[tag] }
  known.set(tag, catalogue)
  return catalogue
}
