.class public Lorg/example/terrafuoco/ProbeService;
.super Landroid/app/Service;

.method public constructor <init>()V
    .registers 1
    invoke-direct {p0}, Landroid/app/Service;-><init>()V
    return-void
.end method
