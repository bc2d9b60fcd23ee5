// What stands under and over the curves: stalls and other flat parts, lids, marked stretches, events, arms' letters.
window.bruvetOverlay = ({ holder, paint, armColour, overview: latest }) => {
  // More stalls than this are drawn as bars along the foot, not as shades over one another.
  const CROWD = 4;

  const trace = (context, marker, x, y, r) => {
    context.beginPath();
    if (marker === "square") context.rect(x - r, y - r, 2 * r, 2 * r);
    else if (marker === "triangle") { context.moveTo(x, y - 1.2 * r); context.lineTo(x + 1.1 * r, y + r); context.lineTo(x - 1.1 * r, y + r); context.closePath(); }
    else if (marker === "diamond") { context.moveTo(x, y - 1.3 * r); context.lineTo(x + 1.3 * r, y); context.lineTo(x, y + 1.3 * r); context.lineTo(x - 1.3 * r, y); context.closePath(); }
    else if (marker === "cross") { context.rect(x - r / 2, y - r, r, 2 * r); context.rect(x - r, y - r / 2, 2 * r, r); }
    else if (marker === "hexagon") { for (let i = 0; i < 6; i += 1) context.lineTo(x + r * 1.1 * Math.cos((i * Math.PI) / 3), y + r * 1.1 * Math.sin((i * Math.PI) / 3)); context.closePath(); }
    else if (marker === "wedge") { context.moveTo(x, y + 1.2 * r); context.lineTo(x + 1.1 * r, y - r); context.lineTo(x - 1.1 * r, y - r); context.closePath(); }
    else if (marker === "pill") context.ellipse(x, y, 1.3 * r, 0.75 * r, 0, 0, 2 * Math.PI);
    else context.arc(x, y, r, 0, 2 * Math.PI);
  };

  const visibleArms = (u) => new Set(latest().series.filter((s, i) => u.series[i + 1].show && !s.pit && !s.told).map((s) => s.arm));

  const under = (u) => {
    const overview = latest();
    const { ctx: c, bbox } = u;
    const arms = visibleArms(u);
    c.save();
    c.beginPath();
    c.rect(bbox.left, bbox.top, bbox.width, bbox.height);
    c.clip();
    const stalls = overview.stalls.filter((s) => arms.has(s.arm));
    const flats = overview.flats.filter((f) => arms.has(f.arm));
    const dpr = devicePixelRatio;
    const row = (one) => bbox.top + bbox.height - (6 + 15 * (one.arm.charCodeAt(0) - 65)) * dpr;
    c.font = `${12 * dpr}px "Atkinson Next", sans-serif`;
    c.textAlign = "left";
    const crowded = stalls.length + flats.length > CROWD;
    stalls.forEach((stall) => {
      const left = u.valToPos(stall.from, "x", true);
      const right = u.valToPos(stall.to, "x", true);
      c.fillStyle = armColour(stall.arm);
      if (crowded) {
        c.fillRect(left, row(stall) - 4 * dpr, right - left, 3 * dpr);
        c.fillText(stall.arm, left - 11 * dpr, row(stall) + 1.5 * dpr);
        return;
      }
      c.globalAlpha = 0.13;
      c.fillRect(left, bbox.top, right - left, bbox.height);
      c.globalAlpha = 1;
      c.fillText(`stall ${stall.arm}`, left + 4 * dpr, row(stall));
    });
    // What is flat and no stall is hatched, and says what it was; in a crowd the strip says it.
    flats.forEach((flat) => {
      const left = u.valToPos(flat.from, "x", true);
      const right = u.valToPos(flat.to, "x", true);
      c.strokeStyle = armColour(flat.arm);
      c.lineWidth = dpr;
      c.beginPath();
      if (crowded) {
        c.setLineDash([2 * dpr, 3 * dpr]);
        c.moveTo(left, row(flat) - 2.5 * dpr);
        c.lineTo(right, row(flat) - 2.5 * dpr);
        c.stroke();
        c.setLineDash([]);
        return;
      }
      c.save();
      c.rect(left, bbox.top, right - left, bbox.height);
      c.clip();
      c.globalAlpha = 0.28;
      c.beginPath();
      for (let x = left - bbox.height; x < right; x += 9 * dpr) {
        c.moveTo(x, bbox.top + bbox.height);
        c.lineTo(x + bbox.height, bbox.top);
      }
      c.stroke();
      c.restore();
      c.fillStyle = armColour(flat.arm);
      c.fillText(`${flat.word} ${flat.arm}`, left + 4 * dpr, row(flat));
    });
    // Where a lid was open the pit's dip is the lid's.
    c.globalAlpha = 1;
    overview.lids.filter((l) => arms.has(l.arm)).forEach((lid) => {
      const left = u.valToPos(lid.from, "x", true);
      const right = u.valToPos(lid.to, "x", true);
      c.fillStyle = armColour(lid.arm);
      c.fillRect(left, bbox.top + bbox.height - 3 * devicePixelRatio, Math.max(right - left, 2), 3 * devicePixelRatio);
    });
    (holder.bruvetMarked || []).forEach((row) => {
      const [left, right] = row.x.map((value) => u.valToPos(value, "x", true));
      c.globalAlpha = 0.12;
      c.fillStyle = armColour(row.letter);
      c.fillRect(left, bbox.top, right - left, bbox.height);
      c.globalAlpha = 1;
      c.strokeStyle = armColour(row.letter);
      c.setLineDash([4, 3]);
      c.strokeRect(left, bbox.top, right - left, bbox.height);
      c.setLineDash([]);
    });
    c.restore();
  };

  const over = (u) => {
    const overview = latest();
    const { ctx: c, bbox } = u;
    const arms = visibleArms(u);
    const dpr = devicePixelRatio;
    c.save();
    c.beginPath();
    c.rect(bbox.left - 9 * dpr, bbox.top - 40 * dpr, bbox.width + 18 * dpr, bbox.height + 40 * dpr);
    c.clip();
    c.font = `700 ${11 * dpr}px "Atkinson Next", sans-serif`;
    c.textAlign = "center";
    c.textBaseline = "middle";
    const heavy = ["M", "W", "U", "X", "P"];
    const shown = overview.events.filter((e) => arms.has(e.arm));
    // Lines first; then letters, what changes the cook before what only visits it, where there is room.
    shown.forEach((event) => {
      const x = u.valToPos(event.at, "x", true);
      c.strokeStyle = armColour(event.arm);
      c.lineWidth = dpr;
      c.setLineDash(heavy.includes(event.mark) ? [] : [1, 5]);
      c.beginPath();
      c.moveTo(x, bbox.top);
      c.lineTo(x, bbox.top + bbox.height);
      c.stroke();
    });
    c.setLineDash([]);
    const taken = [];
    [...shown].sort((a, b) => heavy.includes(b.mark) - heavy.includes(a.mark) || a.at - b.at).forEach((event) => {
      const x = u.valToPos(event.at, "x", true);
      const y = bbox.top - (9 + 17 * Math.min(event.arm.charCodeAt(0) - 65, 1)) * dpr;
      if (taken.some((other) => other.y === y && Math.abs(other.x - x) < 15 * dpr)) return;
      taken.push({ x, y });
      c.strokeStyle = armColour(event.arm);
      c.fillStyle = paint("--sheet");
      c.beginPath();
      c.arc(x, y, 7.5 * dpr, 0, 2 * Math.PI);
      c.fill();
      c.stroke();
      c.fillStyle = armColour(event.arm);
      c.fillText(event.mark, x, y + 0.5 * dpr);
    });
    // Each internal curve carries its arm's marker and letter, so that colour is never needed.
    overview.series.forEach((s, i) => {
      if (!u.series[i + 1].show || s.pit || s.told) return;
      const values = u.data[i + 1];
      const [from, to] = [u.valToIdx(u.scales.x.min), u.valToIdx(u.scales.x.max)];
      let [first, last] = [from, to];
      while (first < to && values[first] == null) first += 1;
      while (last > from && values[last] == null) last -= 1;
      if (first >= last) return;
      [0.3, 0.62, 0.94].forEach((share, place) => {
        let n = Math.round(first + share * (last - first));
        while (n < last && values[n] == null) n += 1;
        const x = u.valToPos(u.data[0][n], "x", true);
        const y = u.valToPos(values[n], "y", true);
        c.fillStyle = armColour(s.arm);
        trace(c, s.marker, x, y, (place === 1 ? 8 : 4.5) * dpr);
        c.fill();
        if (place === 1) { c.fillStyle = paint("--on-arm"); c.fillText(s.arm, x, y + (s.marker === "triangle" ? 2 : 0.5) * dpr); }
      });
    });
    (overview.aside || []).filter((a) => arms.has(a.arm)).forEach((a) => {
      const x = u.valToPos(a.at, "x", true);
      const y = u.valToPos(a.temp, "y", true);
      c.strokeStyle = armColour(a.arm);
      c.lineWidth = dpr;
      c.beginPath();
      c.moveTo(x - 3 * dpr, y - 3 * dpr); c.lineTo(x + 3 * dpr, y + 3 * dpr);
      c.moveTo(x + 3 * dpr, y - 3 * dpr); c.lineTo(x - 3 * dpr, y + 3 * dpr);
      c.stroke();
    });
    overview.spots.filter((s) => arms.has(s.arm)).forEach((spot) => {
      c.strokeStyle = armColour(spot.arm);
      c.lineWidth = 2 * dpr;
      c.beginPath();
      c.arc(u.valToPos(spot.at, "x", true), u.valToPos(spot.temp, "y", true), 4.5 * dpr, 0, 2 * Math.PI);
      c.stroke();
    });
    c.restore();
  };

  return { under, over };
};
