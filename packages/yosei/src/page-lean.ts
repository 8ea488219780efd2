/** What `yosei/page` is behind `yosei/vite`: texts without the formats that no module names. */

import { text as declareText } from './declare/fields.js'
import { formatOf } from './grammar/formats.js'
import { mistake } from './terms/mistake.js'

export * from './grammar/formats.js'
export * from './page.js'

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
