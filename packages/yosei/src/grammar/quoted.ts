/** Splits a header field at a character, but for those inside of a quoted string (RFC 9110, section 5.6.4). */
export function splitOutside(line: string, at: ',' | ';'): readonly string[] {
  if (!line.includes('"')) return line.split(at)
  const parts: string[] = []
  let start = 0
  let isQuoted = false
  for (let index = 0; index < line.length; index++) {
    const one = line[index]
    if (one === '"') isQuoted = !isQuoted
    else if (one === '\\' && isQuoted) index++
    else if (one === at && !isQuoted) {
      parts.push(line.slice(start, index))
      start = index + 1
    }
  }
  return [...parts, line.slice(start)]
}

/** Whether a text can be the value of a header field: visible ASCII with inner blanks (RFC 9110, section 5.5). */
export const isFieldValue = (text: string): boolean => /^[!-~](?:[ -~]*[!-~])?$/.test(text)
