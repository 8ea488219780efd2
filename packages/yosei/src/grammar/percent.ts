/** Stands for a text whose percent-encoding is malformed: it has no value, and its field says so. */
export const malformed = /* @__PURE__ */ Symbol('malformed percent-encoding')
export type Decoded = string | typeof malformed

/** Percent-decoding (RFC 3986, section 2.1) of UTF-8. */
export function decodePercent(text: string): Decoded {
  if (!text.includes('%')) return text
  try {
    return decodeURIComponent(text)
  } catch {
    return malformed
  }
}
