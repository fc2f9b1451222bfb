// The rack: bringing in recipe files, taking parts off with a way back, and what is not known yet of parts.
import { ask, newKey } from './link.js';

const said = document.getElementById('said');

function say(text, word, act) {
  said.hidden = false;
  said.textContent = text + ' ';
  if (!word) return;
  const button = document.createElement('button');
  button.textContent = word;
  button.addEventListener('click', act);
  said.append(button);
}

document.getElementById('bring-in').addEventListener('change', async (event) => {
  const file = event.target.files[0];
  if (!file) return;
  event.target.value = '';
  if (file.size > 8 * 1024 * 1024) {
    say(`${file.name} has ${(file.size / 1048576).toFixed(0)} MiB; a recipe is at most 8 MiB. Nothing was brought in.`);
    return;
  }
  // One key for however often it is sent: a part that was made already is not made again.
  bringIn(file.name, await file.text(), newKey());
});

async function bringIn(name, text, key) {
  const again = () => bringIn(name, text, key);
  try {
    const { id } = await (await ask('/api/parts', { text, key })).json();
    location.href = `/parts/${id}`;
  } catch (error) {
    if (error.mayBeTriedAgain) say(`${name}: ${error.message}`, 'Try again', again);
    else say(`${name}: ${error.message}`);
  }
}

for (const button of document.querySelectorAll('.take-off')) {
  button.addEventListener('click', async () => {
    const id = button.dataset.part;
    try {
      await ask(`/api/parts/${id}`, { method: 'DELETE' });
    } catch (error) {
      return say(error.message);
    }
    button.closest('li').hidden = true;
    say(`${button.dataset.name} is off the rack.`, 'Put it back', async () => {
      try {
        await ask(`/api/parts/${id}/restore`, { method: 'POST' });
        button.closest('li').hidden = false;
        said.hidden = true;
      } catch (error) {
        say(error.message);
      }
    });
  });
}

// What is not kept is built by the server one part after the other, in the order of the rack, and shown as it comes.
for (const line of document.querySelectorAll('[data-summary]')) {
  const part = line.closest('a');
  try {
    const { state, headline, figures } = await (await ask(line.dataset.summary)).json();
    line.classList.add(state);
    line.textContent = `${{ ready: '●', left: '◆' }[state] ?? '○'} ${headline}`;
    part.querySelector('.figures').textContent = figures || '\u00a0';
    const picture = part.querySelector('img');
    picture.src = picture.dataset.wanted;
  } catch (error) {
    line.textContent = `◆ ${error.message}`;
  }
}
