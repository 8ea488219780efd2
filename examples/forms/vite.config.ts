import react from '@vitejs/plugin-react'
import { defineConfig } from 'vite'
import yosei from 'yosei/vite'

export default defineConfig({
  root: import.meta.dirname,
  plugins: [react(), yosei()],
  logLevel: 'warn',
  build: {
    outDir: 'dist',
    emptyOutDir: true,
    rolldownOptions: {
      input: ['plain.html', 'tanstack.html', 'mantine.html'].map((file) => `${import.meta.dirname}/${file}`),
    },
  },
})
