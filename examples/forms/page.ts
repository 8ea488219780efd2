/** The page: one of the forms, in one of the languages. */
import { language, showAccepted } from './language.ts'
import './page.css'

const forms = {
  plain: () => import('./plain.ts'),
  tanstack: () => import('./tanstack.tsx'),
  mantine: () => import('./mantine.tsx'),
}
const asked = new URLSearchParams(location.search).get('form') ?? ''
const form = Object.hasOwn(forms, asked) ? (asked as keyof typeof forms) : 'plain'

const links = [
  ...Object.keys(forms).map((name) => [name, `?form=${name}&lang=${language}`] as const),
  ...['en', 'de'].map((tag) => [tag, `?form=${form}&lang=${tag}`] as const),
]
for (const [text, href] of links) {
  const link = Object.assign(document.createElement('a'), { href, textContent: text })
  document.querySelector('nav')?.append(link, ' ')
}
showAccepted(undefined)
await forms[form]()
