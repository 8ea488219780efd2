/** The English that is spoken here: of the fields; in a page that of the formats and rules that it brings; whole in a service. */
import type { Catalogue } from '../terms/hooks.js'
import { commonWords } from './english.js'

let catalogue: Catalogue = commonWords

export const spoken = (): Catalogue => catalogue
/** What was made of a catalogue is kept with it, so that there is a new one. */
export const bringWords = (more: Catalogue): void => {
  catalogue = { ...catalogue, ...more }
}
