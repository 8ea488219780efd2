/** Normal forms of Unicode (UAX #15), in linear time. */

/** As many marks as this on one letter are put in order with it; a text for people has a handful. */
const mostMarks = 64
const pieces = /* @__PURE__ */ new RegExp(`\\P{M}*\\p{M}{0,${mostMarks}}`, 'gu')
const longRun = /* @__PURE__ */ new RegExp(`\\p{M}{${mostMarks + 1}}`, 'u')

/**
 * A text in a normal form. To put the marks of a letter in order takes the square of their number, so a run of more than
 * 64 is normalised piece by piece.
 */
export function normalized(text: string, form: 'NFC' | 'NFKC'): string {
  if (!longRun.test(text)) return text.normalize(form)
  let made = ''
  for (const [piece] of text.matchAll(pieces)) made += piece.normalize(form)
  return made
}
