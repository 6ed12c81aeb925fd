// Before the first paint: the palette a person chose.
const kept = localStorage.getItem("zeroknot.palette");
if (kept) document.documentElement.dataset.palette = kept;
