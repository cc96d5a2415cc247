/** What is chosen in a select of deliveries, as requests have it: a preset, or a delivery. */
export function chosenDelivery(select) {
  const { value, dataset } = select.selectedOptions[0];
  if (value.startsWith("preset:")) return { preset: Number(value.slice(7)) };
  return { delivery: value.startsWith("ready:") ? JSON.parse(dataset.delivery) : { format: value, alpha: dataset.alpha } };
}
