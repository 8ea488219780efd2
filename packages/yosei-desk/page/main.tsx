import { createRoot } from 'react-dom/client'
import { App } from './app.tsx'
import { benchOf } from './model/bench.ts'
import './desk.css'

const root = createRoot(document.getElementById('root') as HTMLElement)
benchOf().then(
  async (bench) => {
    root.render(<App bench={bench} catalogue={await bench.catalogue()} />)
  },
  (error: Error) => root.render(<p className="alone">{error.message}</p>),
)
