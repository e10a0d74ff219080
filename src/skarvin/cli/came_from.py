"""Whether a form came from a service, which takes the results itself."""

from pathlib import Path

from platformdirs import user_config_path

from skarvin.core.findings import SkarvinError


def config() -> Path:
    """Return the folder in which services are written down."""
    return user_config_path("skarvin", appauthor=False)


def came_from_service(form: Path) -> bool:
    """Tell whether a form is a bundle that was pulled from a service which the person knows."""
    from skarvin.services.services_file import read_services, services_path  # noqa: PLC0415 - few forms come from a service

    if not services_path(config()).exists() or form.suffix not in {".zip", ""} or not form.exists():
        return False
    from skarvin.core.grid.file_bytes import read_bytes  # noqa: PLC0415
    from skarvin.core.grid.roster_files import read_bundle_files  # noqa: PLC0415

    try:
        manifest = read_bundle_files(form, None if form.is_dir() else read_bytes(form)).manifest
        return manifest.get("source.systemName", "") in read_services(config())
    except SkarvinError:
        return False
