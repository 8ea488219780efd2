/** Components, and those that take over others by `allOf`: an object that names one is of it (OpenAPI 3.1, section 4.8.25). */
import { isNamed } from '../kinds/run.js'
import type { Documents, Located } from './documents.js'
import { isSamePlace } from './place.js'
import { isSchema } from './positions.js'

type Heir = readonly [name: string, heir: Located, parent: Located]

export class Heirs {
  readonly #documents: Documents
  readonly #home: Located
  #all: readonly Heir[] | undefined
  /** @param home The description. */
  constructor(documents: Documents, home: Located) {
    this.#documents = documents
    this.#home = home
  }

  /** The schemas that take over one, and those that take over them, by their names. */
  of(located: Located): ReadonlyMap<string, Located> {
    this.#all ??= this.#found()
    const found = new Map<string, Located>()
    const due = [located]
    for (let one = due.pop(); one; one = due.pop())
      for (const [name, heir, parent] of this.#all)
        if (isSamePlace(parent, one) && !found.has(name)) {
          found.set(name, heir)
          due.push(heir)
        }
    return found
  }

  /** A schema of the components. */
  component(name: string): Located | undefined {
    const schema = Object.hasOwn(this.#components, name) ? this.#components[name] : undefined
    return isSchema(schema) ? this.#documents.below(this.#home, ['components', 'schemas', name], schema) : undefined
  }
  get #components(): { readonly [name: string]: unknown } {
    const { schema: document } = this.#home
    const components = isNamed(document) ? document['components'] : undefined
    return isNamed(components) && isNamed(components['schemas']) ? components['schemas'] : {}
  }

  #found(): readonly Heir[] {
    return Object.entries(this.#components).flatMap(([name, schema]) => {
      const heir = this.component(name)
      if (!heir || !isNamed(schema) || !Array.isArray(schema['allOf'])) return []
      return schema['allOf'].flatMap((one: unknown, index) => {
        if (!isSchema(one)) return []
        const at = this.#documents.below(heir, ['allOf', String(index)], one)
        const parent = this.#documents.behind(at)
        return parent === at ? [] : [[name, heir, parent] as const]
      })
    })
  }
}
