/** The reference of the public names, from their docstrings: a page for each entry point, from what TypeDoc gives as data. */
import { join } from 'node:path'
import { Application, ReflectionKind } from 'typedoc'

/** @typedef {{ subpath: string, title: string, text: string }} Page */

/**
 * @param {string} root The folder of the package.
 * @param {{ [subpath: string]: { types: string } }} exports
 * @returns {Promise<Page[]>}
 */
export async function referencePages(root, exports) {
  const entries = Object.entries(exports).map(([subpath, { types }]) => ({
    subpath: subpath.replace(/^\.\/?/, ''),
    file: join(root, types.replace('/dist/', '/src/').replace('.d.ts', '.ts')),
  }))
  const app = await Application.bootstrap({
    entryPoints: entries.map(({ file }) => file),
    tsconfig: join(root, 'tsconfig.json'),
    skipErrorChecking: true,
    excludeInternal: true,
    disableSources: false,
    logLevel: 'Error',
  })
  const project = await app.convert()
  if (!project) throw new Error('the sources could not be read')
  const modules = project.children ?? []
  return entries.map(({ subpath, file }) => {
    const end = file.replace(/^.*\/src\//, '').replace(/\.ts$/, '')
    const module = modules.length === 1 ? modules[0] : modules.find(({ name }) => name === end)
    const title = subpath === '' ? 'yosei' : `yosei/${subpath}`
    return { subpath: subpath === '' ? 'yosei' : `yosei-${subpath}`, title, text: pageOf(title, module) }
  })
}

const groups = [
  ['Functions and values', (one) => one.signatures !== undefined || one.kind === ReflectionKind.Variable],
  ['Classes', (one) => one.kind === ReflectionKind.Class],
  ['Types', (one) => one.kind === ReflectionKind.Interface || one.kind === ReflectionKind.TypeAlias],
]

function pageOf(title, module) {
  const all = [...(module?.children ?? [])].sort((a, b) => a.name.localeCompare(b.name, 'en'))
  const parts = groups.flatMap(([name, isIn]) => {
    const own = all.filter(isIn)
    return own.length === 0 ? [] : [`## ${name}`, ...own.map(entryOf)]
  })
  const same = all.filter((one) => one.kind === ReflectionKind.Reference)
  if (same.length > 0)
    parts.push('## The same as in `yosei`', same.map(({ name }) => `[\`${name}\`](yosei#${slug(name)})`).join(' · '))
  return `# ${title}\n\nEvery public name of \`${title}\`, with its meaning.\n\n${parts.join('\n\n')}\n`
}

const slug = (name) => name.replace(/[^\w$]+/g, '-')

function entryOf(one) {
  const [signature] = one.signatures ?? []
  const comment = signature?.comment ?? one.comment
  const lines = [`### ${one.name} {#${slug(one.name)}}`, said(comment)]
  if (signature) lines.push(code(`${one.name}${signatureText(signature)}`), parametersOf(signature))
  else if (one.kind === ReflectionKind.TypeAlias)
    lines.push(code(`type ${one.name}${generics(one)} = ${typeText(one.type)}`))
  else if (one.kind === ReflectionKind.Variable && !isObject(one.type))
    lines.push(code(`const ${one.name}: ${typeText(one.type)}`))
  const members = one.children ?? (isObject(one.type) ? one.type.declaration.children : undefined)
  if (members) lines.push(tableOf(members))
  lines.push(blocks(comment))
  return lines.filter((line) => line !== '').join('\n\n')
}

const isObject = (type) => type?.type === 'reflection' && (type.declaration.children?.length ?? 0) > 0

/** The options of a function: those of its parameters that are objects. */
function parametersOf({ parameters = [] }) {
  return parameters
    .flatMap((one) => {
      const members = membersIn(one.type)
      const text = said(one.comment)
      return members.length > 0
        ? [`\`${one.name}\`:`, tableOf(members)]
        : text === ''
          ? []
          : [`\`${one.name}\`: ${text}`]
    })
    .join('\n\n')
}
function membersIn(type) {
  if (!type) return []
  if (type.type === 'reflection') return type.declaration.children ?? []
  if (type.type === 'union' || type.type === 'intersection') return type.types.flatMap(membersIn)
  const target = type.type === 'reference' ? type.reflection : undefined
  return target?.kind === ReflectionKind.Interface && /Options|Declaration$|^Shared/.test(target.name)
    ? (target.children ?? [])
    : []
}

function tableOf(members) {
  const rows = members
    .filter(({ name }) => !name.startsWith('~'))
    .map((one) => {
      const [signature] = one.signatures ?? []
      const type = signature ? signatureText(signature) : typeText(one.type)
      const text = said(signature?.comment ?? one.comment).replaceAll('\n', ' ')
      return `| \`${one.name}${one.flags?.isOptional ? '?' : ''}\` | ${cell(shorten(type))} | ${text.replaceAll('|', '\\|')} |`
    })
  return rows.length === 0 ? '' : ['| name | type | meaning |', '| --- | --- | --- |', ...rows].join('\n')
}
const shorten = (text) => (text.length > 90 ? `${text.slice(0, 88)} …` : text)
const cell = (text) => `\`${text.replaceAll('|', '\\|').replaceAll('\n', ' ').replaceAll('`', "'")}\``

const textOf = (parts = []) =>
  parts
    .map(({ text }) => text)
    .join('')
    .trim()
const said = (comment) => textOf(comment?.summary)
const code = (text) => `\`\`\`ts\n${text}\n\`\`\``

/** What throws, and examples. */
function blocks(comment) {
  return (comment?.blockTags ?? [])
    .flatMap(({ tag, content }) => {
      const text = textOf(content)
      if (tag === '@throws') return [`**Throws** ${text}`]
      if (tag === '@returns') return [`**Returns** ${text}`]
      return tag === '@example' ? [text.includes('```') ? text : code(text)] : []
    })
    .join('\n\n')
}

const generics = ({ typeParameters = [] }) =>
  typeParameters.length > 0 ? `<${typeParameters.map(({ name }) => name).join(', ')}>` : ''
function signatureText({ parameters = [], type, typeParameters = [], typeParameter }) {
  const own = typeParameters.length > 0 ? typeParameters : (typeParameter ?? [])
  const given = parameters.map(
    (one) =>
      `${one.flags?.isRest ? '...' : ''}${one.name === '__namedParameters' ? 'options' : one.name}${one.flags?.isOptional || one.defaultValue !== undefined ? '?' : ''}: ${shorten(typeText(one.type))}`,
  )
  return `${generics({ typeParameters: own })}(${given.join(', ')}): ${shorten(typeText(type))}`
}

/** A type as TypeScript writes it; what is long is shortened. */
function typeText(type, depth = 0) {
  if (!type) return 'unknown'
  if (depth > 4) return '…'
  const inner = (one) => typeText(one, depth + 1)
  const bracketed = (one) => (one.type === 'union' || one.type === 'intersection' ? `(${inner(one)})` : inner(one))
  switch (type.type) {
    case 'intrinsic':
      return type.name
    case 'literal':
      return typeof type.value === 'string' ? `'${type.value}'` : String(type.value)
    case 'reference':
      return `${type.name}${type.typeArguments?.length ? `<${type.typeArguments.map(inner).join(', ')}>` : ''}`
    case 'array':
      return `${bracketed(type.elementType)}[]`
    case 'union':
      return type.types
        .filter((one) => !(one.type === 'intrinsic' && one.name === 'undefined') || type.types.length === 1)
        .map(inner)
        .join(' | ')
    case 'intersection':
      return type.types.map(inner).join(' & ')
    case 'tuple':
      return `[${(type.elements ?? []).map(inner).join(', ')}]`
    case 'namedTupleMember':
      return `${type.name}: ${inner(type.element)}`
    case 'rest':
      return `...${inner(type.elementType)}`
    case 'optional':
      return `${inner(type.elementType)}?`
    case 'typeOperator':
      return `${type.operator} ${bracketed(type.target)}`
    case 'indexedAccess':
      return `${inner(type.objectType)}[${inner(type.indexType)}]`
    case 'query':
      return `typeof ${inner(type.queryType)}`
    case 'predicate':
      return `${type.name} is ${inner(type.targetType)}`
    case 'templateLiteral':
      return `\`${type.head}${type.tail.map(([one, text]) => `\${${inner(one)}}${text}`).join('')}\``
    case 'reflection': {
      const { signatures, children = [], indexSignatures = [] } = type.declaration
      if (signatures?.[0]) return signatureText(signatures[0]).replace('): ', ') => ')
      const names = children.map((one) => `${one.name}${one.flags?.isOptional ? '?' : ''}: ${inner(one.type)}`)
      const rest = indexSignatures.map((one) => `[${one.parameters[0].name}: string]: ${inner(one.type)}`)
      return `{ ${[...names, ...rest].join('; ')} }`
    }
    case 'conditional':
    case 'mapped':
    case 'inferred':
    case 'unknown':
      return '…'
    default:
      throw new Error(`a type of the kind ${type.type} is not known here`)
  }
}
