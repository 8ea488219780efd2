/** A description of an API as the modules of an intake, as a person would write them. */
import { type EndpointNode, endpointNode } from '../declare/endpoint.js'
import { intakeNode } from '../declare/intake.js'
import type { Node } from '../kinds/kind.js'
import { everyKind } from '../kinds/kinds.js'
import { isJson } from '../read/media.js'
import { type Note, type Read, type ReadOpenApiOptions, readerOf } from './openapi.js'
import { type Declared, Sources } from './source.js'
import { camelCase, commentOf, Identifiers, key, literal, member, members, object } from './typescript.js'

/** Options of `adoptOpenApi`. */
export interface AdoptOptions extends Pick<ReadOpenApiOptions, 'documents' | 'address'> {
  /** One module for all, by default; or one for each tag, and `fields` for what they share. */
  readonly split?: 'tag'
}
/** The modules of an intake. */
export interface Adopted {
  /** The text of each module by its name, without `.ts`. `intake` has the default export. It is not formatted. */
  readonly modules: { readonly intake: string; readonly [name: string]: string }
  /** What is not enforced as it stands in the description. */
  readonly notes: readonly Note[]
}

const main = 'intake'
const shared = 'fields'

/**
 * Writes an intake module of what a description of an API says: to be yours from then on.
 *
 * @throws {DeclarationError} If it is no description, or a reference leads nowhere.
 * @example
 * const { modules, notes } = adoptOpenApi(JSON.parse(text))
 * writeFileSync('intake.ts', modules.intake)
 */
export function adoptOpenApi(document: object, options: AdoptOptions = {}): Adopted {
  const { split, ...reading } = options
  const read = readerOf(document, reading, 'adoptOpenApi()').read()
  const library = new Map([
    ...[...Object.keys(everyKind), 'lines', 'like', 'without', 'endpoint', 'intake', 'Field'].map(
      (name) => [name, 'yosei'] as const,
    ),
    ['readJsonSchema', 'yosei/json-schema'],
    ['readParameter', 'yosei/openapi'],
    ['credentials', 'yosei/openapi'],
  ])
  const endpoints = Object.entries(intakeNode(read.intake).endpoints).map(
    ([name, one]): Named => ({ name, endpoint: endpointNode(one as never).origin ?? one }),
  )
  const identifiers = new Identifiers([...library.keys(), 'on'])
  const constants = new Map(endpoints.map(({ name }) => [name, identifiers.take(name, 'Endpoint')]))
  const sources = new Sources(read.description, read.parameters, identifiers)
  for (const { endpoint } of endpoints) for (const [node, isText] of fieldsOf(endpoint)) sources.survey(node, isText)

  const homes = homesOf(endpoints, split === 'tag')
  const made = endpoints.map(({ name, endpoint }) => ({
    home: homes.get(name) ?? main,
    ...declarationOf(constants.get(name) as string, endpoint, sources, asksAny(read)),
  }))
  const home = new Map([
    ...sources.declared.map(({ name }) => [name, split ? shared : main] as const),
    ...made.map(({ name, home }) => [name, home] as const),
  ])
  const all: (Declared & { readonly home: string })[] = [
    ...sources.declared.map((one) => ({ ...one, home: split ? shared : main })),
    ...made,
    { ...intakeOf(read, endpoints, constants, sources.unlisted), home: main },
  ]
  const moduleOf = (name: string): string => {
    const own = all.filter((one) => one.home === name)
    const used = new Set(own.flatMap(({ uses }) => [...uses]))
    const imports = importsOf(used, name, (one) => library.get(one) ?? `./${home.get(one)}.js`)
    const comment = name === main ? headOf(read) : ''
    return `${comment}${[imports, ...own.map(({ source }) => source)].join('\n\n')}\n`
  }
  const others = [...new Set(all.map((one) => one.home))].filter((name) => name !== main)
  const modules = Object.fromEntries(others.map((name) => [name, moduleOf(name)]))
  return { modules: { ...modules, intake: moduleOf(main) }, notes: read.description.notes }
}

interface Named {
  readonly name: string
  readonly endpoint: EndpointNode
}
const partsOf = ({ path, query, header, cookie }: EndpointNode) => ({ path, query, header, cookie })
/** The fields of an endpoint, each with whether it is read from texts. */
const fieldsOf = (endpoint: EndpointNode): readonly (readonly [Node, isText: boolean])[] => [
  ...Object.values(partsOf(endpoint)).flatMap(({ fields }) => Object.values(fields).map((one) => [one, true] as const)),
  ...endpoint.bodies.map(({ mediaType, node }) => [node, !isJson(mediaType)] as const),
]

/** The module of each endpoint: by its first tag. */
function homesOf(endpoints: readonly Named[], isByTag: boolean): ReadonlyMap<string, string> {
  const tags = isByTag ? [...new Set(endpoints.flatMap(({ endpoint }) => endpoint.tags.slice(0, 1)))] : []
  const taken = new Set([main, shared])
  const names = new Map(
    tags.map((tag) => {
      const own = fileName(tag)
      let name = own
      for (let number = 2; taken.has(name); number++) name = `${own}-${number}`
      taken.add(name)
      return [tag, name] as const
    }),
  )
  return new Map(endpoints.map(({ name, endpoint }) => [name, names.get(endpoint.tags[0] ?? '') ?? main]))
}
const fileName = (tag: string): string =>
  camelCase(tag).replace(/\p{Lu}/gu, (one, at) => `${at === 0 ? '' : '-'}${one.toLowerCase()}`)

/** @param isOpenSaid Whether others ask who the caller is. */
function declarationOf(name: string, endpoint: EndpointNode, sources: Sources, isOpenSaid: boolean): Declared {
  const uses = new Set(['endpoint'])
  const written = (node: Node) => {
    const { source, uses: own } = sources.expression(node)
    for (const one of own) uses.add(one)
    return source
  }
  const { method, template, title, description, tags, success, open, bodies } = endpoint
  const said = {
    title,
    description,
    tags: tags.length > 0 ? tags : undefined,
    success: success === 200 ? undefined : success,
    open: isOpenSaid ? open : undefined,
  }
  const parts = Object.entries(partsOf(endpoint)).flatMap(([part, { fields }]) => {
    const own = Object.entries(fields).map(([field, node]) => member(field, written(node)))
    return own.length > 0 ? [`${part}: ${object(own)}`] : []
  })
  const [only, ...more] = bodies
  const body = !only
    ? []
    : more.length === 0 && only.mediaType === 'application/json'
      ? [`body: ${written(only.node)}`]
      : [`body: ${object(bodies.map(({ mediaType, node }) => `${key(mediaType)}: ${written(node)}`))}`]
  const declaration = object([...members(said), ...parts, ...body])
  return {
    name,
    source: `${commentOf(title ?? description)}export const ${name} = endpoint(${literal(`${method} ${template}`)}, ${declaration})`,
    uses,
  }
}

function intakeOf(
  read: Read,
  endpoints: readonly Named[],
  constants: ReadonlyMap<string, string>,
  kept: 'keep' | 'refuse',
): Declared {
  const { title, version, base, challenge } = intakeNode(read.intake)
  const asked = [...read.security].filter(([, all]) => all.length > 0)
  const [first, ...others] = new Set(asked.map(([, all]) => literal(all)))
  const isOne = first !== undefined && others.length === 0
  const security = isOne ? first : object(asked.map(([name, all]) => `${key(name)}: ${literal(all)}`))
  const schemes = object(
    [...read.schemes].map(
      ([name, { type, in: where, name: own, scheme }]) =>
        `${key(name)}: ${literal({ type, in: where, name: own, scheme })}`,
    ),
  )
  const identify = [
    '// Credentials must be sent. Verify them here, and say who the caller is.',
    `identify: credentials(${schemes}, ${security}),`,
    `challenge: ${literal(challenge)},`,
  ]
  const names = endpoints.map(({ name }) => member(name, constants.get(name) as string))
  const said = { title, version, base: base || undefined, unlisted: { body: kept, query: 'drop' } }
  const options = [
    ...members(said).map((one) => `${one},`),
    ...(first === undefined ? [] : identify),
    `endpoints: ${object(names)},`,
  ]
  return {
    name: '',
    source: `export default intake({\n${options.join('\n')}\n})`,
    uses: new Set(['intake', ...constants.values(), ...(first === undefined ? [] : ['credentials'])]),
  }
}

const asksAny = ({ security }: Read): boolean => [...security.values()].some((all) => all.length > 0)

/** What stands at the top: what the description says and nothing enforces. */
function headOf({ intake, description: { notes } }: Read): string {
  const { title, version } = intakeNode(intake)
  const lines = [
    `Adopted from the OpenAPI description ${[title, version].filter(Boolean).join(' ')}.`,
    ...(notes.length > 0 ? ['', 'Not enforced as described:'] : []),
    ...notes.map(({ pointer, what, consequence }) => `- ${pointer}: ${what}. ${consequence}.`),
  ]
  return `/**\n${lines.map((line) => ` * ${line.replace(/\s+/g, ' ').replaceAll('*/', '*\\/')}`.trimEnd()).join('\n')}\n */\n`
}

function importsOf(used: ReadonlySet<string>, own: string, homeOf: (name: string) => string): string {
  const byHome = new Map<string, string[]>()
  for (const name of used) {
    const home = homeOf(name)
    if (home !== `./${own}.js`) byHome.set(home, [...(byHome.get(home) ?? []), name === 'Field' ? 'type Field' : name])
  }
  return [...byHome]
    .sort(([a], [b]) => Number(a.startsWith('.')) - Number(b.startsWith('.')) || (a < b ? -1 : 1))
    .map(([home, names]) => `import { ${names.sort().join(', ')} } from '${home}'`)
    .join('\n')
}
