// Search over all pages, in the browser: every word has to be on a page, and titles count more.
const box = document.getElementById('search');
const found = document.getElementById('found');
const up = document.body.dataset.up;

function around(text, word) {
  const at = text.toLowerCase().indexOf(word);
  return at < 0 ? '' : (at > 40 ? '… ' : '') + text.slice(Math.max(0, at - 40), at + 80).trim() + ' …';
}

function show() {
  const words = box.value.toLowerCase().split(/\s+/).filter(Boolean);
  found.replaceChildren();
  if (!words.length) return;
  const hits = pages
    .map(page => ({ page, text: page.text.toLowerCase(), title: page.title.toLowerCase() }))
    .filter(one => words.every(word => one.text.includes(word) || one.title.includes(word)))
    .map(one => ({ ...one, score: words.reduce((sum, word) => sum + (one.title.includes(word) ? 100 : 0) + Math.min(20, one.text.split(word).length - 1), 0) }))
    .sort((a, b) => b.score - a.score)
    .slice(0, 12);
  for (const hit of hits) {
    const item = document.createElement('li');
    const link = document.createElement('a');
    const line = document.createElement('span');
    link.href = up + hit.page.url;
    link.textContent = hit.page.title;
    line.textContent = around(hit.page.text, words[0]);
    item.append(link, line);
    found.append(item);
  }
  if (!hits.length) {
    const item = document.createElement('li');
    item.textContent = 'Nothing found.';
    found.append(item);
  }
}

box.addEventListener('input', show);
