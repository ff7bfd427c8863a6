"""The open project as the window sees it: every edit goes through here, slow work runs beside it, all views are told."""
