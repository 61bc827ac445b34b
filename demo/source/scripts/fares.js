/** Works out a fare as the form is changed. */
export function show(form) {
  const update = () => {
    const { crossing, people, bicycle } = form.elements;
    const sum = Number(crossing.value) * Number(people.value) + (bicycle.checked ? 1.5 : 0);
    form.querySelector("output").textContent = `${sum.toFixed(2)} one way`;
  };
  form.addEventListener("input", update);
  update();
}
