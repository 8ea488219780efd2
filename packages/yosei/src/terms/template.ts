/** Path templates: RFC 6570 level 1, each expression a whole segment. */
import { mistake } from './mistake.js'

/** A path template in its segments: a literal text, or the name of a parameter. */
export type Template = readonly (string | { readonly name: string })[]

/** @throws DeclarationError where the text is no template. */
export function parseTemplate(where: string, template: string): Template {
  if (!template.startsWith('/'))
    mistake(where, 'the path template must begin with a slash', "Write it as 'GET /path/{name}'")
  const segments = template === '/' ? [] : template.slice(1).split('/')
  const names = new Set<string>()
  return segments.map((segment) => {
    const name = /^\{([^{}]+)\}$/.exec(segment)?.[1]
    if (name === undefined) {
      if (segment === '' || segment === '.' || segment === '..' || /[{}?#]/.test(segment))
        mistake(
          where,
          `"${segment}" is no segment of a path template`,
          'Use literal segments and whole segments {name}',
        )
      return segment
    }
    if (names.has(name)) mistake(where, `the parameter {${name}} stands twice`, 'Give each parameter its own name')
    names.add(name)
    return { name }
  })
}
