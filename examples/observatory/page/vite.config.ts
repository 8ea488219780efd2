import react from '@vitejs/plugin-react'
import { defineConfig } from 'vite'

// What is served is not what a test would have.
process.env['NODE_ENV'] = 'production'

export default defineConfig({
  root: import.meta.dirname,
  base: './',
  plugins: [react()],
  logLevel: 'warn',
  build: {
    outDir: '../dist/page',
    emptyOutDir: true,
    chunkSizeWarningLimit: 1500,
    reportCompressedSize: false,
    rolldownOptions: { input: ['index.html', 'operator.html'].map((file) => `${import.meta.dirname}/${file}`) },
  },
})
