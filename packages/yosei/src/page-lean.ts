/** What `yosei/page` is behind `yosei/vite`: texts without the formats that no module names. */

import { formatWords } from './catalogue/english.js'
import { bringWords } from './catalogue/spoken.js'
import { text as declareText } from './declare/fields.js'
import { bringFormats as bring, formatOf } from './grammar/formats.js'
import { mistake } from './terms/mistake.js'

export * from './grammar/formats.js'
export * from './page.js'

/** Brings formats, each by its name, and their words. */
export function bringFormats(formats: Parameters<typeof bring>[0]): void {
  bring(formats)
  bringWords(formatWords)
}

/** @throws DeclarationError if the text has a format that the page does not have. */
export const text: typeof declareText = (options) => {
  const { format } = options ?? {}
  if (format !== undefined && !formatOf(format))
    mistake(
      `text(), format ${format}`,
      'this page does not have the format',
      'Write its name as a text in a module that imports yosei: yosei/vite looks for it there',
    )
  return declareText(options)
}
