.class public Lorg/example/lanterna/ads/StartProvider;
.super Landroid/content/ContentProvider;

.method public constructor <init>()V
    .registers 1
    invoke-direct {p0}, Landroid/content/ContentProvider;-><init>()V
    return-void
.end method
