(function () {
  'use strict';
  function reveal() {
    var at = location.hash && document.getElementById(decodeURIComponent(location.hash.slice(1)));
    for (var n = at; n; n = n.parentElement) { if (n.tagName === 'DETAILS') { n.open = true; } }
    if (at) { at.scrollIntoView(); }
  }
  addEventListener('hashchange', reveal);
  reveal();
  var closed = [];
  addEventListener('beforeprint', function () {
    closed = Array.prototype.slice.call(document.querySelectorAll('.entry details:not([open])'));
    closed.forEach(function (d) { d.open = true; });
  });
  addEventListener('afterprint', function () { closed.forEach(function (d) { d.open = false; }); });
  document.querySelectorAll('table.routes').forEach(function (t) {
    var p = document.createElement('p'), label = document.createElement('label'), input = document.createElement('input');
    p.className = 'find';
    label.textContent = 'Show routes with ';
    input.type = 'search';
    label.appendChild(input);
    p.appendChild(label);
    t.parentElement.parentElement.insertBefore(p, t.parentElement);
    input.addEventListener('input', function () {
      var want = input.value.toLowerCase();
      Array.prototype.forEach.call(t.tBodies[0].rows, function (r) {
        r.hidden = want !== '' && r.textContent.toLowerCase().indexOf(want) < 0;
      });
    });
  });
})();
