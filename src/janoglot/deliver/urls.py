from __future__ import annotations

from django.urls import path

from janoglot.deliver import api, packages_api

_PRODUCTION = "productions/<int:production_id>/"

urlpatterns = [
    path(f"{_PRODUCTION}deliveries/", api.DeliveriesView.as_view()),
    path(f"{_PRODUCTION}editions/<str:language>/files/", api.EditionFilesView.as_view()),
    path(f"{_PRODUCTION}files/", api.FilesView.as_view()),
    path("packages/", packages_api.PackagesView.as_view()),
    path("packages/<int:package_id>/", packages_api.PackageView.as_view()),
    path(f"{_PRODUCTION}standing/", packages_api.StandingView.as_view()),
    path(f"{_PRODUCTION}parcels/", packages_api.ParcelsView.as_view()),
    path(f"{_PRODUCTION}parcels/<int:parcel_id>/", packages_api.ParcelView.as_view()),
    path(f"{_PRODUCTION}parcels/<int:parcel_id>/content", packages_api.ParcelContentView.as_view()),
    path(f"{_PRODUCTION}parcels/<int:parcel_id>/files/<path:path>", packages_api.ParcelFileView.as_view()),
    path(f"{_PRODUCTION}editions/<str:language>/quality/", packages_api.QualityView.as_view()),
    path(f"{_PRODUCTION}editions/<str:language>/rights/", packages_api.RightsView.as_view()),
    path(f"{_PRODUCTION}unheld/", api.UnheldView.as_view()),
    path(f"{_PRODUCTION}files/<int:file_id>/", api.FileView.as_view()),
    path(f"{_PRODUCTION}files/<int:file_id>/content", api.FileContentView.as_view()),
]
