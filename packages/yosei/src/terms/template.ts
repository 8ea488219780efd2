/** Path templates: RFC 6570 level 1, as many expressions in a segment as literals tell apart. */
import { mistake } from './mistake.js'

interface Parameter {
  readonly name: string
}
/** Parameters in a segment of their own, with a literal before, between and after them: the outer two may be empty. */
export interface Mixed {
  readonly names: readonly string[]
  readonly literals: readonly string[]
}
/** A literal text, a parameter, or several in one. */
export type Segment = string | Parameter | Mixed
/** A path template in its segments. */
export type Template = readonly Segment[]

export const isMixed = (segment: Segment): segment is Mixed => typeof segment === 'object' && 'names' in segment
/** The parameters of a segment. */
export const namesOf = (segment: Segment): readonly string[] =>
  typeof segment === 'string' ? [] : isMixed(segment) ? segment.names : [segment.name]
/** A segment with the values of its parameters. */
export function filled(segment: Segment, value: (name: string) => string): string {
  if (typeof segment === 'string') return segment
  if (!isMixed(segment)) return value(segment.name)
  return segment.literals.reduce((text, literal, at) => text + value(segment.names[at - 1] as string) + literal)
}
/** A segment as two that match the same are written alike. */
export const shapeOf = (segment: Segment): string => filled(segment, () => '{}')

/** The segments of a template; what is none is found where a service is declared. */
export function parseTemplate(template: string): Template {
  return segmentsOf(template).map(({ segment, literals, names }) =>
    names.length === 0 ? segment : segment === `{${names[0]}}` ? { name: names[0] as string } : { names, literals },
  )
}
const segmentsOf = (template: string) =>
  (template === '/' ? [] : template.slice(1).split('/')).map((segment) => ({
    segment,
    literals: segment.split(/\{[^{}]+\}/),
    names: [...segment.matchAll(/\{([^{}]+)\}/g)].map(([, name = '']) => name),
  }))

/** @throws DeclarationError if the text is no template. */
export function checkTemplate(where: string, template: string): void {
  if (!template.startsWith('/'))
    mistake(where, 'the path template must begin with a slash', "Write it as 'GET /path/{name}'")
  const known = new Set<string>()
  for (const { segment, literals, names } of segmentsOf(template)) {
    if (segment === '' || segment === '.' || segment === '..' || literals.some((literal) => /[{}?#]/.test(literal)))
      mistake(where, `"${segment}" is no segment of a path template`, 'Use literal texts and parameters {name}')
    if (/^[:*][A-Za-z_]\w*$/.test(segment))
      mistake(where, `"${segment}" would be matched as it stands`, `Write the parameter as {${segment.slice(1)}}`)
    for (const name of names) {
      if (known.has(name)) mistake(where, `the parameter {${name}} stands twice`, 'Give each parameter its own name')
      known.add(name)
    }
    if (literals.slice(1, -1).includes(''))
      mistake(where, `nothing separates the parameters of "${segment}" apart`, 'Put a literal text between them')
  }
}
