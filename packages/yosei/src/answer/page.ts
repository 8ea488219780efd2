/** A rejection as a page, for people whose browser came here. Needs nothing from elsewhere. */

const escapes: { readonly [one: string]: string } = {
  '&': '&amp;',
  '<': '&lt;',
  '>': '&gt;',
  '"': '&quot;',
  "'": '&#39;',
}
const escaped = (text: string) => text.replace(/[&<>"']/g, (one) => escapes[one] as string)

const style = `:root{color-scheme:light dark}body{font:16px/1.5 system-ui,sans-serif;max-width:46rem;margin:12vh auto;padding:0 1.5rem}
h1{font-size:1.5rem;font-weight:600;margin:0}h1 b{font-variant-numeric:tabular-nums;opacity:.55;margin-right:.4em}h2{font-size:1rem;margin:2rem 0 .5rem}
dl{margin:0;border-top:1px solid #8884}dt{font-family:ui-monospace,monospace;font-size:.9rem;padding-top:.6rem}dd{margin:0;padding-bottom:.6rem;border-bottom:1px solid #8884}
footer{margin-top:2rem;font-size:.85rem;opacity:.6}`

import type { Catalogue, Problem } from '../terms/hooks.js'
export function page(
  { status, title, detail, instance, fields = {} }: Problem,
  language: string,
  catalogue: Catalogue,
): string {
  const rows = Object.entries(fields).map(
    ([address, errors]) =>
      `<dt>${escaped(address)}</dt>${errors.map((error) => `<dd>${escaped(address === '' ? detail : error.detail)}</dd>`).join('')}`,
  )
  const told =
    rows.length > 0
      ? `<h2>${escaped(catalogue['page.fields'] as string)}</h2><dl>${rows.join('')}</dl>`
      : `<p>${escaped(detail)}</p>`
  return `<!doctype html>
<html lang="${escaped(language)}"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>${status} ${escaped(title)}</title><style>${style}</style></head>
<body><main><h1><b>${status}</b>${escaped(title)}</h1>${told}</main><footer>${escaped(catalogue['page.id'] as string)} ${escaped(instance.replace('urn:uuid:', ''))}</footer></body></html>
`
}
