// Packs the built files once, so that the service never has to on the fly.
import { readdirSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { brotliCompressSync, gzipSync } from 'node:zlib'

for (const entry of readdirSync('dist', { recursive: true, withFileTypes: true })) {
  if (!entry.isFile() || !/\.(js|css|html|svg)$/.test(entry.name)) continue
  const path = join(entry.parentPath, entry.name)
  const body = readFileSync(path)
  writeFileSync(path + '.gz', gzipSync(body, { level: 9 }))
  writeFileSync(path + '.br', brotliCompressSync(body))
}
