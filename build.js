/**
 * Puts the modules of the library and of the command into few files, which load in a third of the time: one for each
 * subpath, and what they share. `tsc` has checked them, and written their types.
 */
import { readFileSync } from 'node:fs'
import { relative } from 'node:path'
import { fileURLToPath } from 'node:url'
import { build } from 'rolldown'

/** What is looked at from inside, and is no subpath: by tests and benchmarks; by the binary, the desk and tests. */
const inside = { yosei: ['internals', 'page-lean'], 'yosei-cli': ['main', 'kit', 'compare'] }

/** What most of the subpaths share: the rooms of the library but those that few need. */
const isCore = /^src\/(?!adapt\/|describe\/|front\/|probe\/|reference\/|schema\/)\w+\//

for (const [name, more] of Object.entries(inside)) {
  const cwd = fileURLToPath(new URL(`packages/${name}/`, import.meta.url))
  const { exports, imports = {} } = JSON.parse(readFileSync(`${cwd}package.json`, 'utf8'))
  const subpaths = [...Object.values(exports), ...Object.values(imports)]
    .flatMap((conditions) => Object.values(conditions))
    .flatMap((file) => /^\.\/dist\/(.+)(?<!\.d)\.[jt]s$/.exec(file)?.[1] ?? [])
  await build({
    cwd,
    input: Object.fromEntries([...subpaths, ...more].map((entry) => [entry, `src/${entry}.ts`])),
    platform: 'node',
    external: (id) => !/^(?:[./]|src\/)/.test(id),
    output: {
      dir: 'dist',
      chunkFileNames: '[name].js',
      sourcemap: true,
      sourcemapExcludeSources: true,
      minifyInternalExports: false,
      // What they say stands in the types and in the sources, which are shipped too.
      comments: { jsdoc: false },
      codeSplitting: {
        groups: name === 'yosei' ? [{ name: 'core', test: (id) => isCore.test(relative(cwd, id)) }] : [],
      },
    },
  })
}
