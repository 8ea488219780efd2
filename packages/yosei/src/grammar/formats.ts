/** The formats of texts, each by the grammar of its own standard. */
import { bringWords } from '../catalogue/spoken.js'
import { canParse, readByteRanges, readEntityTags, readHttpDate } from './http.js'
import { isALabel, isULabel } from './idna.js'
import { countries, currencies, ibanLengths } from './registers.js'
import { readDay, readInstant, readTime, type Unread } from './times.js'
import { isZoneName } from './zones.js'

/** Finds what a text must not have. A repeat of what it may have would keep a note of each character, without end. */
const none = (source: string) => new RegExp(source, 'u')

const label = /^[A-Za-z0-9](?:[A-Za-z0-9-]{0,61}[A-Za-z0-9])?$/

/** Labels of letters, digits and inner hyphens to 63 octets, 253 in all (RFC 1123, section 2.1). */
const isHostname = (text: string) => text.length <= 253 && text.split('.').every((part) => label.test(part))

/** A host name whose labels may be in any script (RFC 5890, section 2.3.2.3): 253 octets as it is sent. */
function isIdnHostname(text: string): boolean {
  const labels = text.replaceAll(/[。．｡]/g, '.').split('.')
  const isLabel = (one: string) =>
    isAscii(one)
      ? label.test(one) && (!/^xn--/i.test(one) || isALabel(one)) && !/^(?!xn)..--/i.test(one)
      : isULabel(one)
  return text.length <= 253 && labels.every(isLabel)
}
const isAscii = (text: string) => !/[^\u0000-\u007f]/.test(text)

const octet = '(?:25[0-5]|2[0-4][0-9]|1[0-9][0-9]|[1-9]?[0-9])'
const ipv4 = /* @__PURE__ */ new RegExp(`^${octet}(?:\\.${octet}){3}$`)
const isIpv4 = (text: string) => ipv4.test(text)

/** RFC 4291, section 2.2: eight groups, one run of zeros as `::`, the last two groups perhaps as an IPv4 address. */
function isIpv6(text: string): boolean {
  if (text.length > 45) return false
  const halves = text.split('::')
  if (halves.length > 2) return false
  const groups = halves.flatMap((half) => (half === '' ? [] : half.split(':')))
  const last = groups.at(-1)
  const mapped = last?.includes('.') && text.endsWith(last)
  if (mapped && !isIpv4(last as string)) return false
  const count = groups.length + (mapped ? 1 : 0)
  return (
    (mapped ? groups.slice(0, -1) : groups).every((group) => /^[0-9A-Fa-f]{1,4}$/.test(group)) &&
    (halves.length === 2 ? count <= 7 : count === 8)
  )
}

/** RFC 5321, sections 4.1.2 and 4.5.3.1: a local part of up to 64 octets, and a domain or an address in brackets. */
/* @__NO_SIDE_EFFECTS__ */
function mailboxGrammar(atext: string, isDomain: (text: string) => boolean) {
  const dotted = new RegExp(`^[${atext}]+(?:\\.[${atext}]+)*$`, 'u')
  const quoted = new RegExp(`^"(?:[ ${atext}()<>\\[\\]:;@,.]|\\\\[\\x20-\\x7e])*"$`, 'u')
  return (text: string): boolean => {
    const at = text.lastIndexOf('@')
    const [local, domain] = [text.slice(0, at), text.slice(at + 1)]
    if (at < 1 || text.length > 254 || octets(local) > 64 || octets(text) > 254) return false
    if (!dotted.test(local) && !quoted.test(local)) return false
    const address = /^\[(.*)\]$/.exec(domain)?.[1]
    return address === undefined
      ? isDomain(domain)
      : isIpv4(address) || (/^IPv6:/i.test(address) && isIpv6(address.slice(5)))
  }
}
const octets = (text: string) => (isAscii(text) ? text.length : new TextEncoder().encode(text).length)
const atext = "A-Za-z0-9!#$%&'*+\\/=?^_`{|}~\\-"

// RFC 3986, with the characters that RFC 3987 adds.
const ucschar =
  '\\u{a0}-\\u{d7ff}\\u{f900}-\\u{fdcf}\\u{fdf0}-\\u{ffef}\\u{10000}-\\u{1fffd}\\u{20000}-\\u{2fffd}\\u{30000}-\\u{3fffd}\\u{40000}-\\u{efffd}'
const iprivate = '\\u{e000}-\\u{f8ff}\\u{f0000}-\\u{ffffd}\\u{100000}-\\u{10fffd}'
/* @__NO_SIDE_EFFECTS__ */
function referenceGrammar(more: string, moreInQuery: string) {
  const chars = (own: string) => {
    const other = none(`[^A-Za-z0-9._~!$&'()*+,;=%${more}${own}\\-]|%(?![0-9A-Fa-f]{2})`)
    return { test: (text: string) => !other.test(text) }
  }
  const [userinfo, host, path, query] = [chars(':'), chars(''), chars(':@\\/'), chars(`:@\\/?${moreInQuery}`)]
  const fragmentChars = chars(':@\\/?')
  return (text: string, absolute: boolean): boolean => {
    // RFC 3986, appendix B.
    const [, scheme, authority, way = '', question, fragment] =
      /^(?:([^:/?#]*):)?(?:\/\/([^/?#]*))?([^?#]*)(?:\?([^#]*))?(?:#(.*))?$/s.exec(text) ?? []
    if (scheme === undefined ? absolute : !/^[A-Za-z][A-Za-z0-9+.-]*$/.test(scheme)) return false
    if (!path.test(way) || !query.test(question ?? '') || !fragmentChars.test(fragment ?? '')) return false
    if (authority === undefined) return !way.startsWith('//')
    const at = authority.lastIndexOf('@')
    const user = authority.slice(0, Math.max(0, at))
    const place = authority.slice(at + 1)
    const colon = place.lastIndexOf(':')
    const name = colon >= 0 && !/[^0-9]/.test(place.slice(colon + 1)) ? place.slice(0, colon) : place
    const literal = /^\[(?:v[0-9A-Fa-f]+\.([A-Za-z0-9._~!$&'()*+,;=:-]+)|(.*))\]$/.exec(name)
    return userinfo.test(user) && (literal ? literal[1] !== undefined || isIpv6(literal[2] as string) : host.test(name))
  }
}
/** Most addresses are plain: letters and digits with dots. */
const plainEmail = /^[A-Za-z0-9_+-]+(?:\.[A-Za-z0-9_+-]+)*@(?:[A-Za-z0-9]{1,63}\.)+[A-Za-z]{2,63}$/
const isAnyEmail = mailboxGrammar(atext, isHostname)
const isEmail = (text: string) => (text.length <= 64 && plainEmail.test(text)) || isAnyEmail(text)
const isIdnEmail = mailboxGrammar(`${atext}${ucschar}`, isIdnHostname)
const isUri = referenceGrammar('', '')
const isIri = referenceGrammar(ucschar, iprivate)

const isPointer = (text: string) => (text === '' || text.startsWith('/')) && !/~(?![01])/.test(text)
const relativeStart = /^(?:0|[1-9][0-9]*)(?:[+-][1-9][0-9]*)?/
function isRelativePointer(text: string): boolean {
  const start = relativeStart.exec(text)?.[0]
  const rest = start === undefined ? '' : text.slice(start.length)
  return start !== undefined && (rest === '#' || isPointer(rest))
}

// RFC 6570, section 2.
const otherInName = none('[^A-Za-z0-9_.%]|%(?![0-9A-Fa-f]{2})|^[.]|[.][.]|[.]$')
function isVariable(text: string): boolean {
  const [name = '', length, ...more] = (text.endsWith('*') ? text.slice(0, -1) : text).split(':')
  if (more.length > 0 || (length !== undefined && (text.endsWith('*') || !/^[1-9][0-9]{0,3}$/.test(length))))
    return false
  return name !== '' && !otherInName.test(name)
}
const otherLiteral = none(`[\\u0000-\\u0020"'<>\\\\^\`|}]|%(?![0-9A-Fa-f]{2})`)
function isUriTemplate(text: string): boolean {
  const [start = '', ...expressions] = text.split('{')
  return (
    !otherLiteral.test(start) &&
    expressions.every((one) => {
      const end = one.indexOf('}')
      const variables = one.slice(/^[+#./;?&=,!@|]/.test(one) ? 1 : 0, Math.max(0, end)).split(',')
      return end > 0 && variables.every(isVariable) && !otherLiteral.test(one.slice(end + 1))
    })
  )
}

function isRegex(text: string): boolean {
  try {
    new RegExp(text, 'u')
    return true
  } catch {
    return false
  }
}

// RFC 3339, appendix A: weeks alone, or units without a gap between them.
const fullDuration =
  /^P(?:\d+W|(?=[\dT])(?:\d+Y(?:\d+M(?:\d+D)?)?|\d+M(?:\d+D)?|\d+D)?(?:T(?:\d+H(?:\d+M(?:\d+S)?)?|\d+M(?:\d+S)?|\d+S))?)$/

/** A check digit weighs the digits one and three in turn, from the right (GS1 General Specifications, section 7.9). */
function isWeighed(digits: string): boolean {
  let sum = 0
  for (let i = 1; i <= digits.length; i++) sum += Number(digits.at(-i)) * (i % 2 === 0 ? 3 : 1)
  return sum % 10 === 0
}
const isGtin = (text: string) => /^(?:\d{8}|\d{12,14})$/.test(text) && isWeighed(text)

/** ISO 2108:2017: thirteen digits that begin with 978 or 979, perhaps in groups with hyphens between them. */
function isIsbn(text: string): boolean {
  const digits = text.replaceAll('-', '')
  return text.length <= 17 && /^97[89]\d{10}$/.test(digits) && !/^-|--|-$/.test(text) && isWeighed(digits)
}

/** ISO/IEC 7812-1, annex B: twelve to nineteen digits, every other one doubled from the right. */
function isCardNumber(text: string): boolean {
  if (!/^\d{12,19}$/.test(text)) return false
  let sum = 0
  for (let i = 1; i <= text.length; i++) {
    const digit = Number(text.at(-i))
    sum += i % 2 === 0 ? 2 * digit - (digit > 4 ? 9 : 0) : digit
  }
  return sum % 10 === 0
}

/** ISO 13616-1: in its electronic form, upper case without blanks; 97 leaves one of it (ISO/IEC 7064). */
function isIban(text: string): boolean {
  if (!/^[A-Z]{2}\d{2}[A-Z0-9]{1,30}$/.test(text)) return false
  const length = ibanLengths.get(text.slice(0, 2))
  if (length !== undefined && length !== text.length) return false
  let rest = 0
  for (const character of text.slice(4) + text.slice(0, 4)) {
    const value = Number.parseInt(character, 36)
    rest = (rest * (value > 9 ? 100 : 10) + value) % 97
  }
  return rest === 1
}

/** RFC 5646, section 2.1: well-formed, registered or not. */
const languageTag =
  /^(?:(?:[a-z]{2,3}(?:-[a-z]{3}){0,3}|[a-z]{4}|[a-z]{5,8})(?:-[a-z]{4})?(?:-(?:[a-z]{2}|\d{3}))?(?:-(?:[a-z\d]{5,8}|\d[a-z\d]{3}))*(?:-[a-wyz\d](?:-[a-z\d]{2,8})+)*(?:-x(?:-[a-z\d]{1,8})+)?|x(?:-[a-z\d]{1,8})+)$/i
/** Those that the grammar does not take, and the standard does. */
const irregularTag =
  /^(?:en-GB-oed|i-(?:ami|bnn|default|enochian|hak|klingon|lux|mingo|navajo|pwn|tao|tay|tsu)|sgn-(?:BE-FR|BE-NL|CH-DE))$/i
const isLanguage = (text: string) => languageTag.test(text) || irregularTag.test(text)

/** RFC 4648, section 4, padded, or section 5, padded or not. */
const base64 = none('[^A-Za-z0-9+\\/]')
const base64url = none('[^A-Za-z0-9_\\-]')
function isBase64(text: string, other: RegExp, isPadded: boolean): boolean {
  const end = text.endsWith('==') ? 2 : text.endsWith('=') ? 1 : 0
  if (end > 0 || isPadded ? text.length % 4 !== 0 : text.length % 4 === 1) return false
  return !other.test(text.slice(0, text.length - end))
}

/** RFC 4632, section 3.1, and RFC 4291, section 2.3: an address and the bits of its prefix. */
function isCidr(text: string): boolean {
  const [address = '', bits = '', ...more] = text.split('/')
  if (more.length > 0 || !/^(?:0|[1-9]\d{0,2})$/.test(bits)) return false
  return isIpv4(address) ? Number(bits) <= 32 : isIpv6(address) && Number(bits) <= 128
}

/** Semantic Versioning 2.0.0, sections 2, 9 and 10. */
function isSemver(text: string): boolean {
  const [, core = '', before, build] = /^([^-+]*)(?:-([^+]*))?(?:\+(.*))?$/s.exec(text) ?? []
  const isEvery = (part: string | undefined, identifier: RegExp) =>
    part === undefined || part.split('.').every((one) => identifier.test(one))
  return (
    /^(?:0|[1-9]\d*)\.(?:0|[1-9]\d*)\.(?:0|[1-9]\d*)$/.test(core) &&
    isEvery(before, /^(?:0|[1-9]\d*|[0-9]*[A-Za-z-][0-9A-Za-z-]*)$/) &&
    isEvery(build, /^[0-9A-Za-z-]+$/)
  )
}

/** A name of the IANA time zone database, as far as `Intl` knows it. */
const isTimeZone = (text: string) => text.length <= 64 && /^[A-Za-z][A-Za-z0-9_+\-/]*$/.test(text) && isZoneName(text)

const must = (holds: boolean) => (holds ? undefined : 'wrong_format')
const read = (value: unknown) => (typeof value === 'string' ? (value as Unread) : undefined)

/** A form that texts may have, with the English words of what may be wrong. */
interface TextFormat<W extends { readonly [C in Unread]?: string } = { readonly [C in Unread]?: string }> {
  /** What is wrong with a text. */
  check(text: string): Unread | undefined
  readonly words: W
}
const format = /* @__NO_SIDE_EFFECTS__ */ <W extends { readonly [C in Unread]?: string }>(
  check: TextFormat['check'],
  words: W,
): TextFormat<W> => ({ check, words })

export const emailFormat = format((text) => must(isEmail(text)), {
  wrong_format: 'must be an e-mail address such as ada@example.org',
})
export const idnEmailFormat = format((text) => must(isIdnEmail(text)), {
  wrong_format: 'must be an e-mail address such as ada@example.org',
})
// RFC 9562, section 4.
export const uuidFormat = format(
  (text) => must(/^[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}$/i.test(text)),
  { wrong_format: 'must be a UUID such as 0190163d-8694-739b-aea5-966c26f8ad91' },
)
export const uriFormat = format((text) => must(isUri(text, true)), {
  wrong_format: 'must be a link such as https://example.org/path',
})
export const uriReferenceFormat = format((text) => must(isUri(text, false)), {})
export const iriFormat = format((text) => must(isIri(text, true)), {
  wrong_format: 'must be a link such as https://example.org/path',
})
export const iriReferenceFormat = format((text) => must(isIri(text, false)), {})
export const hostnameFormat = format((text) => must(isHostname(text)), {
  wrong_format: 'must be a host name such as www.example.org',
})
export const idnHostnameFormat = format((text) => must(isIdnHostname(text)), {
  wrong_format: 'must be a host name such as www.example.org',
})
export const ipv4Format = format((text) => must(isIpv4(text)), {
  wrong_format: 'must be an IPv4 address such as 192.0.2.1',
})
export const ipv6Format = format((text) => must(isIpv6(text)), {
  wrong_format: 'must be an IPv6 address such as 2001:db8::1',
})
export const dateFormat = format((text) => read(readDay(text)), {
  wrong_format: 'must be a date such as 2031-03-01',
  unreal_date: 'must be a date that exists',
})
export const timeFormat = format((text) => read(readTime(text)), {
  wrong_format: 'must be a time such as 22:30:00Z',
  unreal_date: 'must be a time that exists',
})
export const dateTimeFormat = format((text) => read(readInstant(text)), {
  wrong_format: 'must be a date and time such as 2031-03-01T22:30:00Z',
  unreal_date: 'must be a date and time that exist',
})
export const durationFormat = format((text) => must(fullDuration.test(text)), {
  wrong_format: 'must be a duration such as PT1H30M',
})
export const jsonPointerFormat = format((text) => must(isPointer(text)), {})
export const relativeJsonPointerFormat = format((text) => must(isRelativePointer(text)), {})
export const uriTemplateFormat = format((text) => must(isUriTemplate(text)), {})
export const regexFormat = format((text) => must(isRegex(text)), { wrong_format: 'must be a regular expression' })
// ITU-T E.164, section 6.
export const phoneFormat = format((text) => must(/^\+[1-9]\d{1,14}$/.test(text)), {
  wrong_format: 'must be a phone number in its international form, such as +436601234567',
})
export const cardNumberFormat = format((text) => must(isCardNumber(text)), { wrong_format: 'must be a card number' })
export const ibanFormat = format((text) => must(isIban(text)), {
  wrong_format: 'must be an account number (IBAN) such as DE02120300000000202051',
})
export const isbnFormat = format((text) => must(isIsbn(text)), {
  wrong_format: 'must be an ISBN of thirteen digits, such as 9783161484100',
})
export const gtinFormat = format((text) => must(isGtin(text)), {
  wrong_format: 'must be a trade item number (GTIN) such as 4006381333931',
})
export const languageFormat = format((text) => must(isLanguage(text)), {
  wrong_format: 'must be a language tag such as de-AT',
})
export const countryFormat = format((text) => must(countries.has(text)), {
  wrong_format: 'must be a country code of two letters, such as AT',
})
export const currencyFormat = format((text) => must(currencies.has(text)), {
  wrong_format: 'must be a currency code of three letters, such as EUR',
})
export const timeZoneFormat = format((text) => must(isTimeZone(text)), {
  wrong_format: 'must be a time zone such as Europe/Vienna',
})
export const base64Format = format((text) => must(isBase64(text, base64, true)), { wrong_format: 'must be base64' })
export const base64urlFormat = format((text) => must(isBase64(text, base64url, false)), {
  wrong_format: 'must be base64url',
})
export const cidrFormat = format((text) => must(isCidr(text)), {
  wrong_format: 'must be an address range such as 192.0.2.0/24',
})
export const semverFormat = format((text) => must(isSemver(text)), { wrong_format: 'must be a version such as 1.4.0' })
export const httpDateFormat = format((text) => must(canParse(readHttpDate, text)), {
  wrong_format: 'must be an HTTP date such as Sat, 01 Mar 2031 22:30:00 GMT',
})
export const entityTagsFormat = format((text) => must(canParse(readEntityTags, text)), {
  wrong_format: 'must be * or entity tags such as "a1", W/"b2"',
})
export const byteRangesFormat = format((text) => must(canParse(readByteRanges, text)), {
  wrong_format: 'must be byte ranges such as bytes=0-499,-500',
})
/** Each by its name. */
export const formats = {
  email: emailFormat,
  'idn-email': idnEmailFormat,
  uuid: uuidFormat,
  uri: uriFormat,
  'uri-reference': uriReferenceFormat,
  iri: iriFormat,
  'iri-reference': iriReferenceFormat,
  hostname: hostnameFormat,
  'idn-hostname': idnHostnameFormat,
  ipv4: ipv4Format,
  ipv6: ipv6Format,
  date: dateFormat,
  time: timeFormat,
  'date-time': dateTimeFormat,
  duration: durationFormat,
  'json-pointer': jsonPointerFormat,
  'relative-json-pointer': relativeJsonPointerFormat,
  'uri-template': uriTemplateFormat,
  regex: regexFormat,
  phone: phoneFormat,
  'card-number': cardNumberFormat,
  iban: ibanFormat,
  isbn: isbnFormat,
  gtin: gtinFormat,
  language: languageFormat,
  country: countryFormat,
  currency: currencyFormat,
  'time-zone': timeZoneFormat,
  base64: base64Format,
  base64url: base64urlFormat,
  cidr: cidrFormat,
  semver: semverFormat,
  'http-date': httpDateFormat,
  'entity-tags': entityTagsFormat,
  'byte-ranges': byteRangesFormat,
} satisfies { readonly [format: string]: TextFormat }
/** The formats of JSON Schema's open vocabulary, and of other open standards. */
export type Format = keyof typeof formats

const brought: { [name: string]: TextFormat | undefined } = {}
/** Formats that texts may have: a page brings those that it uses, a service all. */
export const bringFormats = (more: { readonly [F in Format]?: TextFormat }): void => {
  Object.assign(brought, more)
  bringWords(wordsOf(more))
}
export const formatOf = (name: Format): TextFormat | undefined =>
  Object.hasOwn(brought, name) ? brought[name] : undefined

/** The keys of a catalogue that formats have words for. */
export type FormatKey = { [F in Format]: `${keyof (typeof formats)[F]['words'] & string}.${F}` }[Format]
/** The English words of formats, by their keys in a catalogue. */
export const wordsOf = (some: { readonly [F in Format]?: TextFormat }): { readonly [K in FormatKey]: string } =>
  Object.fromEntries(
    Object.entries(some).flatMap(([name, { words }]) =>
      Object.entries(words).map(([code, text]) => [`${code}.${name}`, text]),
    ),
  ) as { readonly [K in FormatKey]: string }
