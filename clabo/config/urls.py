urlpatterns: list = []
