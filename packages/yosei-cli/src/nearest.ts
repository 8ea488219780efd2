/** The declared endpoint that was probably meant: told to the developer here, never to a caller. */
import { distance } from 'fastest-levenshtein'
import type { Intake } from 'yosei'

export function nearestEndpoint(app: Intake, method: string, target: string): string | undefined {
  const path = target.split('?')[0] as string
  const { base = '' } = app as { base?: string }
  const ranked = Object.values(app.endpoints).map((endpoint) => {
    const template = base + endpoint.template
    return {
      signature: `${endpoint.method} ${template}`,
      steps: distance(`${method} ${path}`, `${endpoint.method} ${filled(template, path)}`),
    }
  })
  return ranked.sort((a, b) => a.steps - b.steps)[0]?.signature
}

/** The template with its parameters taken from the path, so that only what is literal counts as a difference. */
function filled(template: string, path: string): string {
  const sent = path.split('/')
  return template
    .split('/')
    .map((segment, index) => (segment.startsWith('{') ? (sent[index] ?? segment) : segment))
    .join('/')
}
