/** The languages in which answers are written. A page's bundle has English alone, and those that its intake brings. */
import type { Catalogues } from '../terms/hooks.js'
import { chooseLanguage } from './choose.js'
import { english } from './english.js'
import { german } from './german.js'

/** English first: it is spoken where none fits. */
export const shipped: Catalogues = { en: english, de: german }

export const languagesOf = (own: Catalogues | undefined): readonly string[] => [
  ...new Set([...Object.keys(shipped), ...Object.keys(own ?? {})]),
]

/** The language that a client reads, of those in which answers are written. */
export const languageFor = (field: string | undefined, own: Catalogues | undefined): string =>
  field === undefined ? 'en' : chooseLanguage(field, languagesOf(own))
