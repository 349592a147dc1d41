"""The signs of an aftercare sheet: one for each topic, drawn in strokes on a ground of 32 by 32."""

SHEET_SIGNS = {
    "sun": (
        '<circle cx="16" cy="17" r="6"/>'
        '<path d="M16 4v4M16 26v4M3 17h4M25 17h4M7 8l3 3M22 23l3 3M25 8l-3 3M10 23l-3 3"/>'
    ),
    "closed": ('<path d="M5 21c2-8 20-8 22 0zM9 21c1 6 13 6 14 0"/><path d="M2 21h28"/>'),
    "drop": ('<path d="M16 4c5 7 8 10 8 15a8 8 0 0 1-16 0c0-5 3-8 8-15z"/><path d="M12 20a4 4 0 0 0 4 4"/>'),
    "jar": ('<path d="M8 12h16v14H8zM7 7h18v5H7z"/><path d="M12 19h8"/>'),
    "steam": ('<path d="M5 24h22M8 28h16"/><path d="M10 20c-3-4 3-6 0-11M16 20c-3-4 3-6 0-13M22 20c-3-4 3-6 0-11"/>'),
    "sweat": ('<circle cx="19" cy="6" r="3"/><path d="M17 11l-5 7 6 3-2 8M17 11l6 4 4-2M12 12l-5 3M12 18l-6 6"/>'),
    "pool": (
        '<circle cx="22" cy="9" r="3"/><path d="M8 17l7-6 6 5"/>'
        '<path d="M3 21c3-3 5-3 8 0s5 3 8 0 5-3 9 0M3 26c3-3 5-3 8 0s5 3 8 0 5-3 9 0"/>'
    ),
    "glass": ('<path d="M8 5h16c0 9-3 12-8 12S8 14 8 5zM16 17v9M11 27h10M9 10h14"/>'),
    "brush": ('<path d="M19 13L27 5M12 20l7-7 2 2-7 7z"/><path d="M12 20c-4 0-6 3-7 8 5-1 9-2 9-6"/>'),
    "razor": ('<path d="M5 8h15v6H5zM12 14v5l10 9M5 11h15"/>'),
    "strip": ('<path d="M6 26V9h12v17zM18 9c5 0 8 3 8 8M10 13v2M14 13v2M10 19v2M14 19v2"/>'),
    "flask": ('<path d="M13 4v9L6 26h20L19 13V4M11 4h10M9 21h14"/>'),
    "hand": ('<path d="M9 28V14M9 16V8M13 15V5M17 15V6M21 16V9M21 14v9c0 3-2 5-5 5h-3c-3 0-4-2-4-5M9 20l-4-5"/>'),
    "glove": (
        '<path d="M10 27V15l-3-4M10 15V7M14 14V5M18 14V6M22 15V9v12l-2 6M10 27h10"/>'
        '<path d="M25 5l1 2 2 1-2 1-1 2-1-2-2-1 2-1z"/>'
    ),
    "cup": (
        '<path d="M6 13h15v8c0 4-3 6-7 6s-8-2-8-6zM21 15h3c4 0 4 7 0 7h-3M10 10c-2-3 2-3 0-6M16 10c-2-3 2-3 0-6"/>'
    ),
    "lamp": ('<path d="M10 4h12l4 11H6zM16 15v11M10 28h12"/><path d="M9 19l-3 3M23 19l3 3"/>'),
    "spot": ('<circle cx="16" cy="16" r="11" stroke-dasharray="3 3"/><circle cx="16" cy="16" r="3"/>'),
    "day": ('<path d="M5 8h22v19H5zM5 13h22M10 4v6M22 4v6"/><path d="M13 20l2 3 5-6"/>'),
    "plaster": ('<path d="M4 20L20 4l8 8L12 28zM12 12l8 8"/><path d="M14 16h.1M18 16h.1M16 14h.1M16 18h.1"/>'),
    "stop": ('<path d="M11 4h10l7 7v10l-7 7H11l-7-7V11z"/><path d="M10 16h12"/>'),
    "eye": ('<path d="M3 16c6-9 20-9 26 0-6 9-20 9-26 0z"/><circle cx="16" cy="16" r="4"/>'),
    "cheek": (
        '<path d="M21 4C11 4 8 10 8 14l-3 6h3c0 5 1 6 6 6v3"/><circle cx="17" cy="18" r="4" stroke-dasharray="2 2"/>'
    ),
    "flake": (
        '<path d="M3 24h26"/><path d="M6 24c0-5 5-5 5-9M14 24c0-4 4-4 4-7M22 24c0-5 4-5 4-9"/>'
        '<path d="M10 9l2-2M18 11l2-3M23 8l1-3"/>'
    ),
    "spots": (
        '<path d="M6 6h20v20H6z"/><circle cx="13" cy="13" r="3" fill="currentColor"/>'
        '<circle cx="20" cy="19" r="2" fill="currentColor"/>'
        '<circle cx="12" cy="21" r="1" fill="currentColor"/>'
    ),
    "lips": ('<path d="M3 15c4-5 8-6 10-4 2 1 4 1 6 0 2-2 6-1 10 4-6 9-20 9-26 0zM3 15c8 2 18 2 26 0"/>'),
    "arm": ('<path d="M6 26c-2-9 1-17 8-21l3 4-4 5c3-2 7-2 10 0 4 3 3 10-2 12z"/>'),
    "steps": ('<path d="M4 27h6v-6h6v-6h6V9h6"/><path d="M24 4l4 5-5 3"/>'),
    "clock": ('<circle cx="16" cy="16" r="12"/><path d="M16 8v8l6 4"/>'),
    "phone": ('<path d="M8 4l5 1 1 6-3 2c1 4 4 7 8 8l2-3 6 1 1 5c0 3-3 4-6 4C13 27 5 19 4 10c0-3 1-6 4-6z"/>'),
    "mirror": ('<circle cx="16" cy="12" r="9"/><path d="M16 21v9M12 10l5-4M12 15l8-7"/>'),
    "cross": ('<path d="M12 4h8v8h8v8h-8v8h-8v-8H4v-8h8z"/>'),
}
