/** How one text carries lists and objects: the styles of OpenAPI 3.1, section 4.8.12.2, after RFC 6570. */

export type Style = 'simple' | 'label' | 'matrix' | 'form' | 'spaceDelimited' | 'pipeDelimited' | 'deepObject'
export type Carries = 'value' | 'list' | 'object'

/** What stands between elements, and between pairs if each has a sign of equality. */
const separators: { readonly [S in Style]: readonly [between: string, exploded: string] } = {
  simple: [',', ','],
  label: [',', '.'],
  matrix: [',', ';'],
  form: [',', '&'],
  spaceDelimited: [' ', ' '],
  pipeDelimited: ['|', '|'],
  deepObject: [',', '&'],
}

/** The texts that a text carries: itself, a list of them, or texts by name. */
export function carried(text: string, name: string, style: Style, explode: boolean, carries: Carries): unknown {
  const whole = style === 'label' ? text.replace(/^\./, '') : style === 'matrix' ? text.replace(/^;/, '') : text
  const [between, exploded] = separators[style]
  const own = (one: string) => (style === 'matrix' && one.startsWith(`${name}=`) ? one.slice(name.length + 1) : one)
  if (carries === 'value') return own(whole)
  if (carries === 'list') return explode ? whole.split(exploded).map(own) : own(whole).split(between)
  const pairs = explode
    ? whole.split(exploded).map((one) => {
        const equals = one.indexOf('=')
        return equals < 0 ? [one, ''] : [one.slice(0, equals), one.slice(equals + 1)]
      })
    : own(whole)
        .split(between)
        .flatMap((one, index, all) => (index % 2 === 0 ? [[one, all[index + 1] ?? '']] : []))
  return Object.fromEntries(pairs)
}
