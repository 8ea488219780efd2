/**
 * Finds what is not used: exports that no other file imports, packages that no file names, and packages that a file
 * imports and its package.json does not list. Exits with 1 if there are any.
 */
import { readFileSync } from 'node:fs'
import { dirname, join, relative, resolve } from 'node:path'
import { parseSync } from '@swc/core'
import { globSync } from 'tinyglobby'

const root = import.meta.dirname
const manifests = [
  '.',
  ...globSync('packages/*/package.json').map(dirname),
  ...globSync('examples/*/package.json').map(dirname),
  'site',
].map((folder) => ({
  folder: resolve(root, folder),
  ...JSON.parse(readFileSync(join(root, folder, 'package.json'), 'utf8')),
}))
const files = globSync('{packages,examples,test,docs,site}/**/*.{ts,tsx,js}', {
  cwd: root,
  ignore: '**/node_modules/**',
})
  .filter((file) => !/(?:^|\/)(?:node_modules|dist|made|\.tmp-[^/]*)\//.test(file))
  .concat(globSync('*.js', { cwd: root }))
  .map((file) => resolve(root, file))

/** What a module exports, and what it takes from which others. */
function readModule(file) {
  const text = readFileSync(file, 'utf8')
  const { body } = parseSync(text, { syntax: 'typescript', tsx: file.endsWith('x'), target: 'es2022' })
  const exports = new Set()
  const imports = []
  for (const item of body) {
    const from = item.source?.value
    const names = (item.specifiers ?? []).map((one) => (one.imported ?? one.orig ?? one.local ?? one.name)?.value)
    if (item.type === 'ImportDeclaration')
      imports.push([
        from,
        item.specifiers.map((one) =>
          one.type === 'ImportSpecifier'
            ? (one.imported ?? one.local).value
            : one.type === 'ImportDefaultSpecifier'
              ? 'default'
              : '*',
        ),
      ])
    else if (item.type === 'ExportAllDeclaration') imports.push([from, ['*']])
    else if (item.type === 'ExportNamedDeclaration') {
      if (from) imports.push([from, names])
      else for (const one of item.specifiers) exports.add((one.exported ?? one.orig).value)
    } else if (item.type === 'ExportDeclaration')
      for (const one of item.declaration.declarations ?? [item.declaration]) {
        const name = (one.identifier ?? one.id)?.value
        // A type may be exported so that what is exported can be named.
        const isType =
          /^Ts(?:Interface|TypeAlias)/.test(item.declaration.type) &&
          text.match(new RegExp(`\\b${name}\\b`, 'g')).length > 1
        if (name && !isType) exports.add(name)
      }
  }
  // What is imported when it is needed, or named by a type, may use all; so may what a test mocks.
  for (const [, name] of text.matchAll(/\b(?:import|require|mock)\(\s*['"]([^'"]+)['"]/g)) imports.push([name, ['*']])
  return { file, text, exports, imports }
}

const modules = new Map(files.map((file) => [file, readModule(file)]))
const used = new Map(files.map((file) => [file, new Set()]))
const found = []
const nearest = (file) => manifests.findLast(({ folder }) => file.startsWith(`${folder}/`))
const listed = (manifest) =>
  Object.keys({ ...manifest.dependencies, ...manifest.devDependencies, ...manifest.peerDependencies })
const named = new Map(manifests.map((manifest) => [manifest, new Set()]))

for (const { file, imports } of modules.values())
  for (const [from, names] of imports) {
    if (from.startsWith('.')) {
      const path = resolve(dirname(file), from)
      const target = [path, path.replace(/\.js$/, '.ts'), path.replace(/\.js$/, '.tsx'), `${path}.ts`].find((one) =>
        used.has(one),
      )
      if (target) for (const name of names) used.get(target).add(name)
      continue
    }
    if (from.startsWith('node:') || from.startsWith('#') || from.includes(':')) continue
    const name = from
      .split('/')
      .slice(0, from.startsWith('@') ? 2 : 1)
      .join('/')
    const owner = nearest(file)
    const owners = [owner, manifests[0]].filter((one) =>
      listed(one).some((own) => own === name || own === `@types/${name}`),
    )
    for (const one of owners) named.get(one).add(name)
    const isOwn = manifests.some((one) => one.name === name)
    if (owners.length === 0 && !isOwn && /^(?:@[\w-]+\/)?[\w.-]+$/.test(name))
      found.push(`${relative(root, file)}: ${name} is not in its package.json`)
  }

/** Files that a package gives to others, or that are run by their names. */
const isEntry = ({ file, text }) =>
  /\/(?:test|bench|attack|mutants|docs|site\/examples)\/|\.config\.[jt]s$|\/page\/|\/page-lean\.ts$|^[^/]*\.js$/.test(
    `/${relative(root, file)}`,
  ) ||
  manifests.some(({ folder, exports: given = {}, bin = {}, main = '', imports: own = {} }) =>
    JSON.stringify([given, bin, main, own]).includes(
      relative(folder, file)
        .replace(/^src\//, './dist/')
        .replace(/\.tsx?$/, '.'),
    ),
  ) ||
  text.startsWith('#!')
for (const one of modules.values()) {
  const uses = used.get(one.file)
  if (isEntry(one) || uses.has('*')) continue
  for (const name of one.exports)
    if (!uses.has(name)) found.push(`${relative(root, one.file)}: no file imports ${name}`)
}
const scripts = [
  ...manifests.map(({ scripts }) => JSON.stringify(scripts ?? {})),
  readFileSync(join(root, '.ci/run'), 'utf8'),
  ...globSync('{*.config.js,biome.json,tsconfig*.json,packages/*/tsconfig.json,.ci/*,build.js}', { cwd: root }).map(
    (file) => readFileSync(join(root, file), 'utf8'),
  ),
].join('\n')
for (const manifest of manifests)
  for (const name of Object.keys({ ...manifest.dependencies, ...manifest.devDependencies })) {
    const isType = name.startsWith('@types/')
    // A package of ours may take it if it is there.
    const isPeer = listed(manifest).some((one) =>
      manifests.some((other) => other.name === one && other.peerDependencies?.[name]),
    )
    const bins = name.replace(/^@[^/]+\//, '')
    if (!isType && !isPeer && !named.get(manifest).has(name) && !new RegExp(`\\b${bins}\\b`).test(scripts))
      found.push(`${relative(root, manifest.folder) || '.'}/package.json: no file uses ${name}`)
  }

for (const line of found) console.log(line)
process.exitCode = found.length > 0 ? 1 : 0
