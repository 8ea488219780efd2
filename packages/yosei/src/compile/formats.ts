/** The formats of texts, each by the grammar of its own standard. */
import type { Format } from '../declare/node.js'

const atom = "[A-Za-z0-9!#$%&'*+/=?^_`{|}~-]+"
const localPart = new RegExp(`^(?:${atom}(?:\\.${atom})*|"(?:[\\x20\\x21\\x23-\\x5b\\x5d-\\x7e]|\\\\[\\x20-\\x7e])*")$`)
const label = /^[A-Za-z0-9](?:[A-Za-z0-9-]{0,61}[A-Za-z0-9])?$/

/** A host name: labels of letters, digits and inner hyphens to 63 octets, 253 in all (RFC 1123, section 2.1). */
const isHostname = (text: string) => text.length <= 253 && text.split('.').every((part) => label.test(part))

/** RFC 5321, section 4.1.2: a local part of up to 64 octets and a domain of two labels or more. */
function isEmail(text: string): boolean {
  const at = text.lastIndexOf('@')
  if (at < 1 || at > 64 || text.length > 254 || !localPart.test(text.slice(0, at))) return false
  const domain = text.slice(at + 1)
  return domain.includes('.') && isHostname(domain)
}

export const formats: { readonly [F in Format]: (text: string) => boolean } = { email: isEmail }
