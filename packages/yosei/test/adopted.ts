/** What `adoptOpenApi` writes, as a module that runs. */
import { mkdirSync, rmSync, writeFileSync } from 'node:fs'
import { transformSync } from '@swc/core'
import type { Intake } from 'yosei'
import { type AdoptOptions, adoptOpenApi } from 'yosei/openapi'

const folder = new URL('./made/adopted/', import.meta.url)
let count = 0

/** The intake of the modules of a description. */
export async function adopted(document: object, options?: AdoptOptions): Promise<Intake> {
  const own = new URL(`${process.pid}-${count++}/`, folder)
  mkdirSync(own, { recursive: true })
  for (const [name, text] of Object.entries(adoptOpenApi(document, options).modules)) {
    const swc = { jsc: { target: 'es2022', parser: { syntax: 'typescript' } }, module: { type: 'es6' } } as const
    writeFileSync(new URL(`${name}.js`, own), transformSync(text, swc).code)
  }
  const { default: app } = (await import(new URL('intake.js', own).href)) as { default: Intake }
  rmSync(own, { recursive: true })
  return app
}
