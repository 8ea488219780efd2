/** The playground as one page, which needs nothing from the network: its policy allows none. */
import { fileURLToPath } from 'node:url'
import react from '@vitejs/plugin-react'
import { build } from 'vite'

const policy = "default-src 'none'; script-src 'unsafe-inline' 'unsafe-eval'; style-src 'unsafe-inline'; img-src data:"

/** @returns {Promise<string>} The page. */
export async function playgroundPage() {
  process.env.NODE_ENV = 'production'
  const { output } = await build({
    configFile: false,
    root: fileURLToPath(new URL('.', import.meta.url)),
    logLevel: 'error',
    plugins: [react()],
    build: {
      write: false,
      minify: true,
      cssCodeSplit: false,
      chunkSizeWarningLimit: 4000,
      rollupOptions: { input: fileURLToPath(new URL('main.tsx', import.meta.url)), output: { codeSplitting: false } },
    },
  })
  const script = output.find(({ type }) => type === 'chunk').code
  const style = output
    .filter(({ type }) => type === 'asset')
    .map(({ source }) => String(source))
    .join('\n')
  const inside = (text, tag) => text.replace(new RegExp(`</${tag}`, 'gi'), `<\\/${tag}`)
  return `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta http-equiv="Content-Security-Policy" content="${policy}">
<meta name="viewport" content="width=device-width">
<title>Playground</title>
<style>${inside(style, 'style')}</style>
</head>
<body>
<div id="root"></div>
<script type="module">${inside(script, 'script')}</script>
</body>
</html>
`
}
