/**
 * Labels of internationalized host names (RFC 5891, sections 4.2 and 5.4). Which code points they may have is computed
 * from Unicode properties, as RFC 5892 says in section 3.
 */

/** RFC 5892, section 2.6: what the properties would say otherwise. */
const exceptionallyValid = /[\u{df}\u{3c2}\u{6fd}\u{6fe}\u{f0b}\u{3007}]/u
const exceptionallyDisallowed = /[\u{640}\u{7fa}\u{302e}\u{302f}\u{3031}-\u{3035}\u{303b}]/u
/** Sections 2.1 to 2.9. */
const unassigned = /\p{Cn}/u
const unstable = /\p{Changes_When_NFKC_Casefolded}/u
const ignorable = /[\p{Default_Ignorable_Code_Point}\p{White_Space}\p{Noncharacter_Code_Point}]/u
const ignorableBlock = /[\u{20d0}-\u{20ff}\u{1d100}-\u{1d1ff}\u{1d200}-\u{1d24f}]/u
const oldHangulJamo = /[\u{1100}-\u{11ff}\u{a960}-\u{a97f}\u{d7b0}-\u{d7ff}]/u
const letterOrDigit = /[\p{Ll}\p{Lu}\p{Lo}\p{Nd}\p{Lm}\p{Mn}\p{Mc}]/u

/** Appendix A: code points that are valid beside others. */
const contextual: { readonly [point: string]: (before: string, after: string, label: string) => boolean } = {
  '\u200c': (before, after) => isVirama(before) || joins(before, after),
  '\u200d': (before) => isVirama(before),
  '\u00b7': (before, after) => before.endsWith('l') && after.startsWith('l'),
  '\u0375': (_, after) => /^\p{Script=Greek}/u.test(after),
  '\u05f3': (before) => /\p{Script=Hebrew}$/u.test(before),
  '\u05f4': (before) => /\p{Script=Hebrew}$/u.test(before),
  '\u30fb': (_, __, label) =>
    /[\p{Script=Hiragana}\p{Script=Katakana}\p{Script=Han}]/u.test(label.replaceAll('\u30fb', '')),
}
const arabicDigits = /[\u0660-\u0669]/
const extendedDigits = /[\u06f0-\u06f9]/

/**
 * Whether a text ends in a virama: its combining class is 9, and normalization puts it behind a mark of class 8 and before
 * one of class 10.
 */
function isVirama(before: string): boolean {
  const last = [...before].at(-1)
  if (last === undefined || !/\p{M}/u.test(last)) return false
  return (
    `a${last}\u3099`.normalize('NFD') === `a\u3099${last}` && `a\u05b0${last}`.normalize('NFD') === `a${last}\u05b0`
  )
}

/** Scripts whose letters join. */
const joining =
  /[\p{Script=Arabic}\p{Script=Syriac}\p{Script=Mongolian}\p{Script=Nko}\p{Script=Mandaic}\p{Script=Phags_Pa}\p{Script=Manichaean}\p{Script=Psalter_Pahlavi}\p{Script=Adlam}\p{Script=Hanifi_Rohingya}\p{Script=Sogdian}\p{Script=Chorasmian}]/u
/** Appendix A.1: letters on both sides join each other, marks between them apart. */
function joins(before: string, after: string): boolean {
  const [left, right] = [
    [...before].filter((one) => !/\p{Mn}/u.test(one)).at(-1),
    [...after].find((one) => !/\p{Mn}/u.test(one)),
  ]
  const isLetter = (one: string | undefined): one is string =>
    one !== undefined && joining.test(one) && /\p{L}/u.test(one)
  return isLetter(left) && isLetter(right) && !endsJoining().has(left)
}

let ending: ReadonlySet<string> | undefined
/** Arabic letters that join only what is before them: they have no initial form among the presentation forms. */
function endsJoining(): ReadonlySet<string> {
  if (ending) return ending
  const counts = new Map<string, number>()
  for (let point = 0xfb50; point < 0xfeff; point++) {
    const letter = String.fromCodePoint(point).normalize('NFKD')
    if (/^\p{Script=Arabic}$/u.test(letter)) counts.set(letter, (counts.get(letter) ?? 0) + 1)
  }
  ending = new Set([...counts].filter(([, count]) => count === 2).map(([letter]) => letter))
  return ending
}

/** Whether a label may have a code point, wherever it stands. */
function isValid(point: string): boolean {
  if (exceptionallyValid.test(point)) return true
  if (exceptionallyDisallowed.test(point) || unassigned.test(point)) return false
  if (/[a-z0-9-]/.test(point)) return true
  if (unstable.test(point) || ignorable.test(point) || ignorableBlock.test(point) || oldHangulJamo.test(point))
    return false
  return letterOrDigit.test(point)
}

/** A label of a host name that has more than ASCII in it: a U-label. */
export function isULabel(label: string): boolean {
  if (label.normalize('NFC') !== label || label.slice(2, 4) === '--' || /^-|-$|^\p{M}/u.test(label)) return false
  if (arabicDigits.test(label) && extendedDigits.test(label)) return false
  let before = ''
  for (const point of label) {
    const rule = Object.hasOwn(contextual, point) ? contextual[point] : undefined
    const holds = rule ? rule(before, label.slice(before.length + point.length), label) : isValid(point)
    if (!holds) return false
    before += point
  }
  return encoded(label).length <= 63 - 'xn--'.length
}

/** A label `xn--…`: what it stands for is one, and is written so. */
export function isALabel(label: string): boolean {
  const text = label.slice('xn--'.length).toLowerCase()
  const read = decoded(text)
  return read !== undefined && !/^[\u0000-\u007f]*$/.test(read) && isULabel(read) && encoded(read) === text
}

// RFC 3492, section 5: the parameters of Punycode.
const base = 36
const least = 1
const most = 26
const skew = 38
const damp = 700
const firstBias = 72
const firstPoint = 128

/** Section 6.1. */
function adapted(delta: number, count: number, isFirst: boolean): number {
  let rest = Math.floor(delta / (isFirst ? damp : 2))
  rest += Math.floor(rest / count)
  let steps = 0
  for (; rest > ((base - least) * most) / 2; steps += base) rest = Math.floor(rest / (base - least))
  return steps + Math.floor(((base - least + 1) * rest) / (rest + skew))
}
const threshold = (at: number, bias: number) => Math.max(least, Math.min(most, at - bias))

/** Section 6.3. */
function encoded(label: string): string {
  const points = [...label].map((one) => one.codePointAt(0) as number)
  const plain = points.filter((one) => one < firstPoint)
  let text = String.fromCodePoint(...plain) + (plain.length > 0 ? '-' : '')
  let [now, delta, bias, done] = [firstPoint, 0, firstBias, plain.length]
  while (done < points.length) {
    const next = Math.min(...points.filter((one) => one >= now))
    delta += (next - now) * (done + 1)
    now = next
    for (const point of points) {
      if (point < now) delta++
      if (point !== now) continue
      let rest = delta
      for (let at = base; ; at += base) {
        const limit = threshold(at, bias)
        if (rest < limit) break
        text += digit(limit + ((rest - limit) % (base - limit)))
        rest = Math.floor((rest - limit) / (base - limit))
      }
      text += digit(rest)
      bias = adapted(delta, done + 1, done === plain.length)
      delta = 0
      done++
    }
    delta++
    now++
  }
  return text
}
const digit = (value: number) => value.toString(base).replace(/^./, (one) => digits.charAt(Number.parseInt(one, base)))
const digits = 'abcdefghijklmnopqrstuvwxyz0123456789'

/** Section 6.2; `undefined` if it is no Punycode. */
function decoded(text: string): string | undefined {
  const end = text.lastIndexOf('-')
  const points = [...text.slice(0, Math.max(0, end))].map((one) => one.codePointAt(0) as number)
  let [now, index, bias] = [firstPoint, 0, firstBias]
  for (let at = end + 1; at < text.length; ) {
    const before = index
    let weight = 1
    for (let place = base; ; place += base) {
      const value = digits.indexOf(text.charAt(at++))
      if (value < 0 || at > text.length) return undefined
      index += value * weight
      const limit = threshold(place, bias)
      if (value < limit) break
      weight *= base - limit
    }
    const count = points.length + 1
    bias = adapted(index - before, count, before === 0)
    now += Math.floor(index / count)
    if (now > 0x10ffff) return undefined
    points.splice(index % count, 0, now)
    index = (index % count) + 1
  }
  return String.fromCodePoint(...points)
}
