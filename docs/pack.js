/** Puts the pages into the package, before it is packed: without pictures, and without links to what is not shipped. */
import { mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'

const shipped = join(import.meta.dirname, '../packages/yosei/docs')
rmSync(shipped, { recursive: true, force: true })
mkdirSync(shipped)
for (const name of readdirSync(import.meta.dirname).filter((one) => one.endsWith('.md')))
  writeFileSync(
    join(shipped, name),
    readFileSync(join(import.meta.dirname, name), 'utf8')
      .replace(/^!\[[^\]]*\]\([^)]*\)\n\n?/gm, '')
      .replace(/\[([^\]]*)\]\((?:\.\.|screenshots)\/[^)]*\)/g, '$1'),
  )
