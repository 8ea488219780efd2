/** Builds a page by Vite, or for a server, and prints its code: node page-build.js ENTRY [plugin|server]. Its compiler does not run inside of a test's context. */
import { build } from 'vite'
import yosei from 'yosei/vite'

const [, , input, plugin] = process.argv
const { output } = await build({
  configFile: false,
  logLevel: 'silent',
  plugins: plugin ? [yosei()] : [],
  ...(plugin === 'server'
    ? {
        ssr: { noExternal: true },
        build: { write: false, ssr: input, rollupOptions: { output: { codeSplitting: false } } },
      }
    : { build: { write: false, rollupOptions: { input, output: { format: 'iife' } } } }),
})
process.stdout.write(output[0].code)
