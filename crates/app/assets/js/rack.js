// The rack: bringing in recipe files, taking parts off with a way back.
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
  try {
    const answer = await fetch('/api/parts', {
      method: 'POST',
      headers: { 'Content-Type': 'application/json' },
      body: await file.text(),
    });
    const body = await answer.json();
    if (answer.ok) location.href = `/parts/${body.id}`;
    else say(`${file.name}: ${body.error}`);
  } catch {
    say('The server does not answer. Nothing was brought in; try again.');
  }
});

for (const button of document.querySelectorAll('.take-off')) {
  button.addEventListener('click', async () => {
    const id = button.dataset.part;
    const answer = await fetch(`/api/parts/${id}`, { method: 'DELETE' });
    if (!answer.ok) return say('It could not be taken off; try again.');
    button.closest('li').hidden = true;
    say(`${button.dataset.name} is off the rack.`, 'Put it back', async () => {
      if ((await fetch(`/api/parts/${id}/restore`, { method: 'POST' })).ok) {
        button.closest('li').hidden = false;
        said.hidden = true;
      }
    });
  });
}
